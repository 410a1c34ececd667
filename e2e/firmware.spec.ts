// A firmware update, from the phone that takes it to the release that is right
// again: what came back, what is new, what would stop, on the right Desks, on
// the public page and in the scripts; then the next release, made from it.
import { execFileSync, spawnSync } from 'node:child_process'
import { clean } from './axe'
import { as, expect, hand, lyra, test, type World } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'firmware' })
test.describe.configure({ mode: 'serial' })

const desk = (page: Page) => page.getByRole('grid', { name: 'What waits for you' }).getByRole('row')
const place = (page: Page, name: string) => page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name })

const atPhone = async (page: Page, world: World) => {
  await place(page, 'Bench').click()
  await page.getByRole('button', { name: new RegExp(world.phone) }).click()
}
// script runs a release's script on the phone, as anybody would.
function script(world: World, edition: string, ...args: string[]) {
  const text = execFileSync('curl', ['-sf', `${world.url}/r/brannock/lyra-5/${edition}.sh`], { encoding: 'utf8' })
  return spawnSync('sh', [world.file(`${edition}.sh`, text), ...args], {
    encoding: 'utf8',
    env: { ...process.env, ANDROID_SERIAL: world.phone, ADB_SERVER_SOCKET: world.adbServer },
  })
}
const publicPage = async (world: World, path: string) => (await fetch(`${world.url}/r/brannock/lyra-5/${path}`)).text()

test('a firmware update, until everything published is right again', async ({ page, world }) => {
  test.setTimeout(300_000)
  await test.step('the phone runs a release, takes its update and is captured: everybody who has to knows', async () => {
    await as(page, world, 'maintainer')
    await expect(page).toHaveURL(/\/desk/)
    await expect(desk(page).filter({ hasText: 'would stop' })).toHaveCount(0)
    expect(await publicPage(world, 'ward-phone')).not.toContain('Not for version 15.0.1')

    await as(page, world, 'technician')
    await atPhone(page, world)
    await page.getByRole('button', { name: 'Rehearse Quiet phone, no. 4' }).click()
    await page.getByRole('button', { name: 'Run it', exact: true }).click()
    await page.getByRole('button', { name: 'Run it now' }).click()
    await expect(page.getByRole('region', { name: 'Run', exact: true })).toContainText('finished', { timeout: 120_000 })
    await hand(page, world, 'update')
    await atPhone(page, world)
    await expect(page.getByRole('region', { name: 'Phone', exact: true })).toContainText('15.0.1, Android 15', { timeout: 60_000 })
    await page.getByRole('button', { name: /^Capture/ }).click()
    await expect(page.getByTestId('stored')).toBeVisible({ timeout: 60_000 })

    // Nobody does anything more. Who has such phones hears of it,
    await page.goto(world.url)
    const arrived = '4 packages are new, 6 that were off came back, 1 is gone, 1 has another name'
    await expect(desk(page).first()).toContainText(`Firmware 15.0.1 of Lyra 5 arrived: ${arrived}`)
    await expect(desk(page).filter({ hasText: 'does not cover' })).toHaveCount(0)
    // a reviewer what it brings,
    await as(page, world, 'reviewer')
    await expect(desk(page).filter({ hasText: arrived })).toHaveCount(1)
    // and who publishes what it breaks, first of all.
    await as(page, world, 'maintainer')
    await expect(desk(page).first()).toContainText('Ward phone no. 2 would stop something on Lyra 5 15.0.1')
    await expect(desk(page).first()).toContainText('com.brannock.sharebeam: com.brannock.gallery uses its library com.brannock.beam')
    await expect(desk(page).filter({ hasText: 'Quiet phone no. 4 does not cover Lyra 5 15.0.1: 6 came back, 1 has another name' })).toHaveCount(1)
    await expect(desk(page).filter({ hasText: arrived })).toContainText(
      'Ward phone no. 2 would stop something. Quiet phone no. 4, Shop window no. 1, Short loan no. 3 and Workshop phone no. 1 no longer cover it.',
    )
  })

  await test.step('the public page, the feed, the scripts and the bench say for which firmware a release is not', async () => {
    const shown = await publicPage(world, 'ward-phone')
    expect(shown).toContain('Not for version 15.0.1')
    expect(shown).toContain('com.brannock.gallery uses its library com.brannock.beam')
    const status = JSON.parse(await publicPage(world, 'ward-phone.status.json')) as { notFor: { version: string; fingerprint: string }[] }
    expect(status.notFor.map((n) => n.version)).toEqual(['15.0.1'])
    expect(await (await fetch(`${world.url}/feed.atom`)).text()).toContain('15.0.1')

    const before = world.installed()
    const refused = script(world, 'ward-phone', '--anyway')
    expect(refused.status, refused.stdout + refused.stderr).toBe(7)
    expect(refused.stdout + refused.stderr).toContain('15.0.1')
    expect(world.installed()).toEqual(before)
    // The other release is not marked: it says that it was not made for it, and
    // runs if it is told to.
    expect(script(world, 'quiet-phone').status).toBe(4)

    await as(page, world, 'technician')
    await atPhone(page, world)
    await page.getByRole('button', { name: /more$/ }).click()
    await expect(page.getByRole('button', { name: 'Rehearse Ward phone, no. 2' })).toBeDisabled()
    await expect(page.getByText('it is marked as not for 15.0.1')).toBeVisible()
    await place(page, 'Releases').click()
    await expect(page.getByRole('link', { name: 'not for 15.0.1' })).toBeVisible()
  })

  await test.step('two firmwares side by side: gone, changed, new, and what it means', async () => {
    await as(page, world, 'reviewer', `/builds${lyra}`)
    await expect(page.getByRole('button', { name: /^15\.0\.1, Android 15/ })).toHaveAttribute('aria-pressed', 'true')
    await expect(page.getByRole('link', { name: /^Ward phone no. 2 on|would stop/ }).first()).toBeVisible()
    await page.keyboard.press('Enter')
    await expect(page.getByRole('heading', { name: 'Lyra 5: 15.0.0 → 15.0.1' })).toBeVisible()
    const lanes = page.getByRole('group', { name: 'Differences' })
    await expect(lanes).toContainText('com.brannock.tunes')
    await expect(lanes).toContainText(/was com\.brannock\.music, \d\d % sure/)
    await expect(lanes).toContainText('com.brannock.gallery rests on it now, and Ward phone no. 2 takes it off: that would stop.')
    const csv = await page.request.get(`${world.url}${await page.getByRole('link', { name: 'CSV' }).getAttribute('href')}`)
    expect(csv.headers()['content-type']).toContain('text/csv')
    expect(await csv.text()).toContain('com.brannock.passkeys')
    await page.getByLabel('Filter by name or label').fill('passkeys')
    await expect(lanes).not.toContainText('com.brannock.tunes')
    await expect(lanes).toContainText('com.brannock.passkeys')

    // What is worse known there, and proposed again on two at once.
    await page.goto(`${world.url}/builds/carried${lyra}`)
    const rows = page.getByRole('grid', { name: 'What is worse known' }).locator('tbody tr')
    await expect(rows.first()).toBeVisible()
    await page.keyboard.press('x')
    await page.keyboard.press('x')
    await expect(page.getByText('2 rows marked')).toBeVisible()
    await page.keyboard.press('1')
    await expect(page.getByRole('dialog')).toContainText('2 packages')
    await page.keyboard.press('Escape')

    await page.goto(`${world.url}/packages/com.brannock.sharebeam${lyra}`)
    await expect(page.getByText('Since 15.0.1')).toBeVisible()
  })

  await test.step('the next release is made from what the firmware breaks, and published', async () => {
    await as(page, world, 'maintainer')
    await expect(desk(page).first()).toContainText('Ward phone no. 2 would stop')
    await page.keyboard.press('Enter') // the most urgent line
    await expect(page.getByRole('heading', { name: 'Ward phone, no. 2 on Lyra 5 15.0.1' })).toBeVisible()
    const hold = page.getByRole('region', { name: 'A release on a firmware' })
    await expect(hold).toContainText('Marked as not for this firmware')
    await expect(hold).toContainText('has to stay: com.brannock.gallery stays, and uses its library com.brannock.beam')
    await hold.getByRole('button', { name: 'Make the draft' }).click()
    await expect(page).toHaveURL(/\/profiles\//)
    await page.getByRole('button', { name: 'Ask to publish no. 3' }).click()
    await page.getByRole('button', { name: 'Ask for it' }).click()
    await expect(page.getByRole('region', { name: 'Waiting to be published' })).toBeVisible()

    await as(page, world, 'keeper')
    await desk(page).filter({ hasText: 'Ward phone' }).filter({ hasText: 'publish' }).first().getByRole('link').click()
    await page
      .getByRole('region', { name: 'Waiting to be published' })
      .getByRole('button', { name: /Sign and publish|Publish/ })
      .click()
    await expect(page.getByRole('status').filter({ hasText: 'No. 3 is published and signed' })).toBeVisible()

    const shown = await publicPage(world, 'ward-phone')
    expect(shown).not.toContain('Not for version 15.0.1')
    expect(await publicPage(world, 'ward-phone/2')).toContain('Not for version 15.0.1')
    const release = JSON.parse(await publicPage(world, 'ward-phone.json')) as { builds: { version: string }[]; steps: { package?: string }[] }
    expect(release.builds.map((b) => b.version)).toContain('15.0.1')
    expect(release.steps.map((s) => s.package)).not.toContain('com.brannock.sharebeam')
    // It goes there; what it puts in first is missing, and it says so.
    const rehearsed = script(world, 'ward-phone', '--rehearse')
    expect(rehearsed.status).toBe(8)
    expect(rehearsed.stdout + rehearsed.stderr).toContain("org.openhearth.home: its file is wanted. the ward's shelf")
    expect(script(world, 'ward-phone', '--rehearse', '--anyway').status).toBe(0)

    // The cause is gone, and so are the lines; technicians have something to try.
    await as(page, world, 'maintainer')
    await expect(desk(page).first()).toBeVisible()
    await expect(desk(page).filter({ hasText: 'Ward phone no. 2' })).toHaveCount(0)
    await as(page, world, 'technician')
    await desk(page).filter({ hasText: 'trials' }).first().getByRole('link').click()
    await expect(page.getByRole('heading', { name: 'Ward phone on Lyra 5 15.0.1: trials wanted' })).toBeVisible()
    await expect(page.getByRole('link', { name: 'Go to the Lyra 5 that is attached' })).toBeVisible()
  })
})

test('a Desk is worked through by keys: put off, brought back, handed over, done with', async ({ page, world }) => {
  await as(page, world, 'reviewer')
  await expect(desk(page).nth(2)).toBeVisible()
  const all = await desk(page).count()
  const first = (await desk(page).nth(1).getByRole('link').textContent())!.split('.')[0]!
  await page.keyboard.press('j')
  await page.keyboard.press('s')
  await page.keyboard.press('Enter') // tomorrow
  await expect(desk(page)).toHaveCount(all - 1)
  await expect(page.getByRole('status')).toContainText('Put off until')
  await page.reload()
  await expect(desk(page)).toHaveCount(all - 1)
  await page.getByRole('button', { name: '1 put off or done' }).click()
  const away = page.getByRole('grid', { name: 'What is put off' }).getByRole('row')
  await expect(away).toHaveCount(1)
  await expect(away).toContainText(first)
  await page.keyboard.press('b')
  await expect(desk(page)).toHaveCount(all)

  await page.keyboard.press('h')
  await page.getByLabel('Whom').selectOption({ label: 'Halina Forde, reviewer' })
  await page.getByLabel('Words', { exact: true }).fill('You have one of these.')
  await page.getByRole('button', { name: 'Hand over', exact: true }).click()
  await expect(page.getByRole('status')).toContainText('Handed to Halina Forde')
  await expect(desk(page)).toHaveCount(all - 1)
  await page.keyboard.press('d')
  await expect(desk(page)).toHaveCount(all - 2)
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(desk(page)).toHaveCount(all - 1)

  await as(page, world, 'second')
  await expect(desk(page).filter({ hasText: '“You have one of these.” Anselm Okoro' })).toHaveCount(1)
})

test('what is followed comes to the Desk and its feed; the week prints; coverage needs no sign-in', async ({ page, world, browser }) => {
  await as(page, world, 'ines', `/packages/com.brannock.tips${lyra}`)
  await page.getByRole('button', { name: 'Follow com.brannock.tips' }).click()
  await expect(page.getByRole('button', { name: 'Follow com.brannock.tips' })).toHaveAttribute('aria-pressed', 'true')
  await page.goto(`${world.url}/follows`)
  await expect(page.getByRole('region', { name: 'What you follow' })).toContainText('com.brannock.tips')

  // The same lines as JSON, and as a feed whose address is the only key to it.
  const { items } = (await (await page.request.get(`${world.url}/api/v1/desk`)).json()) as { items: { text: string }[] }
  const feed = (await (await page.request.post(`${world.url}/api/v1/news/feed`)).json()) as { path: string }
  const atom = await fetch(world.url + feed.path.replace('/news/', '/desk/'))
  expect(atom.headers.get('content-type')).toContain('application/atom+xml')
  const text = await atom.text()
  expect(text.match(/<entry>/g) ?? []).toHaveLength(items.length)
  expect((await fetch(`${world.url}/desk/not-a-key.atom`)).status).toBe(404)

  await page.goto(`${world.url}/week`)
  const week = page.getByRole('region', { name: 'A week' })
  await expect(week).toContainText('Lyra 5 15.0.1: 4 packages are new')
  await expect(week).toContainText('Lyra 5: Ward phone, no. 3')
  await page.emulateMedia({ media: 'print' })
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeHidden()
  await expect(week).toBeVisible()

  const stranger = await (await browser.newContext({ viewport: { width: 360, height: 740 } })).newPage()
  await stranger.goto(`${world.url}/coverage`)
  await expect(stranger.getByRole('heading', { name: 'What is known, and where a phone would help' })).toBeVisible()
  await expect(stranger.getByRole('row', { name: /Brannock Lyra 5 mini/ })).toBeVisible()
  expect(await stranger.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  expect(await (await fetch(`${world.url}/coverage/brannock.json`)).json()).toHaveProperty('models')
})

test('axe finds nothing in what is over time', async ({ page, world }) => {
  await as(page, world, 'keeper')
  await expect(desk(page).first()).toBeVisible()
  await clean(page, 'desk')
  await page.keyboard.press('h')
  await clean(page, 'desk, handing over')
  await page.keyboard.press('Escape')
  await page.keyboard.press('s')
  await clean(page, 'desk, putting off')
  const { items } = (await (await page.request.get(`${world.url}/api/v1/makers/brannock/models/lyra-5/builds`)).json()) as {
    items: { id: string; version: string; carrier: string }[]
  }
  const build = (version: string) => items.find((b) => b.version === version && !b.carrier)!.id
  const { releases } = (await (await page.request.get(`${world.url}/api/v1/makers/brannock/models/lyra-5/timeline`)).json()) as {
    releases: { id: string; edition: string }[]
  }
  const quiet = releases.find((r) => r.edition === 'Quiet phone')!.id
  for (const [path, shown] of [
    [`/builds${lyra}`, 'Does what was published still hold?'],
    ['/builds', 'Where one more phone would help'],
    [`/builds/compare${lyra}`, '15.0.0 → 15.0.1'],
    [`/builds/carried${lyra}`, 'Carried over'],
    [`/builds/releases/${quiet}/${build('15.0.1')}${lyra}`, 'Quiet phone, no. 4 on Lyra 5 15.0.1'],
    ['/week', 'The week to'],
    ['/follows', 'What you follow'],
  ] as const) {
    await page.goto(world.url + path)
    await expect(page.getByRole('heading', { name: shown }).first()).toBeVisible()
    await clean(page, path)
  }
  await as(page, world, 'technician')
  await desk(page).filter({ hasText: 'trials' }).first().getByRole('link').click()
  await expect(page.getByRole('heading', { name: 'Ward phone on Lyra 5 15.0.1: trials wanted' })).toBeVisible()
  await clean(page, 'wanted')
  for (const path of ['/coverage', '/coverage/brannock', '/r/brannock/lyra-5/ward-phone/2']) {
    await page.goto(world.url + path)
    await clean(page, path)
  }
})
