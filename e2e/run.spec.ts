// A release on a phone, with all that goes wrong, and the evidence that comes
// back of it: rehearsed, an answer of the owner, a backup, a refusal, a cable
// that falls out, a restart, the check list, a draft, a review; then a halving.
import { execFileSync } from 'node:child_process'
import { api, as, attach, expect, hand, phoneLine, test, type World } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'run' })
test.describe.configure({ mode: 'serial' })

// draft makes a profile, and sign publishes it as it is then: the work of two.
async function draft(page: Page, world: World, name: string) {
  await as(page, world, 'maintainer')
  const made = await api(page, world, 'POST', '/profiles', { maker: 'brannock', model: 'lyra-5', name, purpose: 'For the walk.' })
  return ((await made.json()) as { id: string }).id
}
async function sign(page: Page, world: World, id: string) {
  const again = await api(page, world, 'GET', `/profiles/${id}`)
  const asked = (await (
    await api(page, world, 'POST', `/profiles/${id}/publications`, { changes: ['The first.'], words: '' }, { 'If-Match': again.headers()['etag'] })
  ).json()) as { id: string }
  await as(page, world, 'keeper')
  await api(page, world, 'POST', `/publications/${asked.id}/decision`, { verdict: 'published' })
}

// publish makes the release that is run here.
async function publish(page: Page, world: World) {
  const id = await draft(page, world, 'Ward radio')
  const profile = await api(page, world, 'GET', `/profiles/${id}`)
  const { rules } = (await profile.json()) as { rules: { pins: unknown[] } }
  const goes = (name: string) => ({ package: name, goes: true, reason: 'The ward asked for it.' })
  const pins = ['devicecare', 'radio', 'calendar'].map((n) => goes(`com.brannock.${n}`))
  pins.push(goes('com.android.bips'), goes('com.android.printspooler'), goes('com.fieldnote.services'), goes('com.fieldnote.appmanager'))
  await api(
    page,
    world,
    'PUT',
    `/profiles/${id}/rules`,
    {
      purpose: 'For the walk.',
      rules: { ...rules, highestCeiling: 0.4, pins, extras: [{ kind: 'setting', namespace: 'global', key: 'window_animation_scale', value: '0.5' }] },
    },
    { 'If-Match': profile.headers()['etag'] },
  )
  await sign(page, world, id)
}

const status = async (world: World) =>
  (await (await fetch(`${world.url}/r/brannock/lyra-5/ward-radio.status.json`)).json()) as {
    runs: { phones: number; harmed: number; ceiling: number }
  }
const background = (world: World) => world.adb('shell', 'cmd appops get com.brannock.devicecare RUN_ANY_IN_BACKGROUND')
const sheet = (page: Page) => page.getByRole('region', { name: 'Run', exact: true })
const step = (page: Page, name: string) =>
  sheet(page)
    .locator('.step')
    .filter({ has: page.getByTitle(name, { exact: true }) })

async function rehearse(page: Page, world: World, name = 'Ward radio') {
  await page.goto(`${world.url}/bench`)
  await phoneLine(page, world).click()
  await page.getByRole('button', { name: /more$/ }).click()
  await page.getByRole('button', { name: `Rehearse ${name}, no. 1` }).click()
  await expect(page.getByRole('heading', { name: new RegExp(`${name}, no. 1 on Lyra 5`) })).toBeVisible()
}

test('rehearsed, kept, backed up, run with a refusal and a loose cable, continued, restarted, checked', { tag: '@either' }, async ({ page, world }) => {
  test.slow()
  await publish(page, world)
  await as(page, world, 'technician')
  await attach(page, world)
  const before = world.installed()
  await rehearse(page, world)
  const rehearsal = page.getByRole('region', { name: 'Rehearsal' })
  await expect(rehearsal.getByTestId('counts')).toContainText('18 would go')
  await expect(rehearsal.getByTestId('counts')).toContainText('1 it will refuse')
  expect(world.installed()).toEqual(before)

  // The owner prints: both packages stay, and it says so at once.
  const ask = page.getByRole('region', { name: 'Ask the owner' })
  await ask.getByRole('group', { name: 'Do you print from it?' }).getByText('yes, keep it').click()
  await expect(rehearsal.getByTestId('counts')).toContainText('16 would go')
  await expect(rehearsal.getByTestId('counts')).toContainText('2 left out')
  await rehearsal.getByRole('button', { name: 'Leave out com.android.egg' }).click()
  await expect(rehearsal.getByTestId('counts')).toContainText('15 would go')

  const backup = page.getByRole('region', { name: 'Backup' })
  await expect(backup).toContainText('neither app data nor the owner')
  await backup.getByRole('button', { name: 'Save the package files' }).click()
  await expect(backup.getByTestId('backup')).toContainText('16 packages', { timeout: 60_000 })
  await backup.getByRole('button', { name: 'check the files' }).click()
  await expect(backup.getByTestId('backup')).toContainText('checked just now')

  // With the cable out it does not begin, says so, and can be tried again.
  const foot = page.getByRole('contentinfo', { name: 'Rehearsal' })
  await hand(page, world, 'unplug')
  await expect(phoneLine(page, world)).not.toContainText('Android 15')
  await page.getByRole('button', { name: 'Run it', exact: true }).click()
  await page.getByRole('button', { name: 'Run it now' }).click()
  await expect(foot.getByRole('alert')).toBeVisible()
  await hand(page, world, 'plug')
  await expect(phoneLine(page, world)).toContainText('Android 15')
  expect(world.installed()).toEqual(before)
  // The cable falls out in the middle.
  await hand(page, world, 'loosen', '27')
  await expect(async () => {
    await foot.getByRole('button', { name: 'Try again' }).click()
    await expect(sheet(page)).toBeVisible({ timeout: 5_000 })
  }).toPass()
  await expect(sheet(page)).toContainText('Plug the phone in again', { timeout: 60_000 })
  await hand(page, world, 'plug')
  await expect(sheet(page)).toContainText('Nothing is unknown any more', { timeout: 60_000 })
  expect(world.installed().length).toBeLessThan(before.length)
  await page.getByRole('button', { name: 'Continue' }).click()
  await expect(sheet(page)).toContainText('finished', { timeout: 120_000 })

  // The refusal is explained, and what the restart brought back is said.
  await expect(step(page, 'com.brannock.devicecare').first()).toContainText('DELETE_FAILED_INTERNAL_ERROR')
  await expect(sheet(page)).toContainText('The maker protects it on this build.')
  await sheet(page).getByRole('button', { name: 'do that: Switch it off instead?' }).click()
  await expect(sheet(page)).toContainText("it can't be switched off either", { timeout: 30_000 })
  // What can be neither removed nor switched off can be made quiet.
  expect(background(world)).toContain('No operations.')
  await sheet(page).getByRole('button', { name: 'do that: Make it quiet instead? It stays.' }).click()
  await expect(sheet(page)).toContainText('Made quiet instead.', { timeout: 30_000 })
  await expect(step(page, 'com.brannock.devicecare').last()).toContainText('quiet')
  expect(background(world)).toBe('RUN_ANY_IN_BACKGROUND: ignore')
  await expect(sheet(page).getByTestId('back')).toContainText('com.fieldnote.services')
  const now = world.installed()
  expect(now).toContain('com.android.bips')
  expect(now).toContain('com.android.egg')
  expect(now).not.toContain('com.brannock.radio')
  expect(world.adb('shell', 'settings get global window_animation_scale')).toBe('0.5')
  // When the rest can be answered is said before anything is.
  await expect(page.getByTestId('clean from')).toContainText('A package counts as clean after a day of use')
})

test('the check list is finished days later, and the release has a ceiling of its own', { tag: '@either' }, async ({ page, world }) => {
  expect((await status(world)).runs).toEqual({ phones: 0, harmed: 0, ceiling: 1 })
  // Eight days go by.
  execFileSync('psql', [
    world.database,
    '-qc',
    "update runs set started_at = started_at - interval '8 days', ended_at = ended_at - interval '8 days' where number > 7",
  ])
  await page.setViewportSize({ width: 360, height: 740 })
  await as(page, world, 'technician')
  const run = await latest(page, world)
  await page.goto(`${world.url}/bench/runs/${run}`)
  const checks = page.getByRole('region', { name: 'Check list' })
  await expect(checks).toBeVisible()
  await expect.poll(() => page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  // One after another, faster than the server answers: none is lost. The page does it
  // by itself, since what a pointer is on its way to moves while a page fills.
  const groups = await checks.getByRole('group').count()
  const answered = new Set<string>()
  page.on('response', (r) => r.url().includes('/checks/') && r.ok() && answered.add(r.url()))
  await checks.evaluate((all) => all.querySelectorAll<HTMLElement>('label.works').forEach((label) => label.click()))
  await expect.poll(() => answered.size).toBe(groups)
  await page.setViewportSize({ width: 1280, height: 800 })
  const evidence = page.getByRole('region', { name: 'Evidence' })
  await expect(evidence).toContainText('clean by the check list, after 8 days')
  await expect(evidence).toContainText('refused')
  await evidence.getByRole('button', { name: /^Draft into the tray/ }).click()
  await expect(evidence).toContainText('went into your tray')
  // What was left out speaks for no release; what ran whole does.
  await expect(page.getByRole('contentinfo', { name: 'Bench' })).toBeVisible()
  expect((await status(world)).runs.phones).toBe(0)
})

test('run whole on the same phone, its trials reviewed, and the ceiling moves', { tag: '@either' }, async ({ page, world }) => {
  test.slow()
  await as(page, world, 'technician')
  await attach(page, world)
  await putBack(page, world)
  expect(background(world)).toContain('No operations.')
  await rehearse(page, world)
  await page.getByRole('button', { name: 'Run it', exact: true }).click()
  await page.getByRole('button', { name: 'Run it now' }).click()
  await expect(sheet(page)).toContainText('finished', { timeout: 120_000 })
  const run = await latest(page, world)
  execFileSync('psql', [
    world.database,
    '-qc',
    `update runs set started_at = started_at - interval '2 days', ended_at = ended_at - interval '2 days' where id = '${run}'`,
  ])
  const { run: told } = (await (await api(page, world, 'GET', `/runs/${run}`)).json()) as { run: { checks: { number: number }[] } }
  for (const c of told.checks) await api(page, world, 'PUT', `/runs/${run}/checks/${c.number}`, { answer: 'works', note: '' })
  await expect.poll(async () => (await status(world)).runs.phones).toBe(1)
  const { runs } = await status(world)
  expect(runs.harmed).toBe(0)
  expect(runs.ceiling).toBeCloseTo(0.95, 6) // one phone, none harmed: 1 - 0.05^(1/1)
  expect(await (await fetch(`${world.url}/r/brannock/lyra-5/ward-radio`)).text()).toContain('One phone so far: too few to say.')

  await page.goto(`${world.url}/ledger?maker=brannock&model=lyra-5`)
  await page.getByRole('contentinfo', { name: 'Tray' }).getByRole('button').first().click()
  const sent = (await (await api(page, world, 'GET', '/tray')).json()) as { items: { id: string }[] }
  expect(sent.items.length).toBeGreaterThan(12)
  const { id } = (await (
    await api(page, world, 'POST', '/changes', { title: 'A run of Ward radio', words: '', edits: sent.items.map((e) => e.id) })
  ).json()) as { id: string }
  await as(page, world, 'reviewer')
  const change = (await (await api(page, world, 'GET', `/changes/${id}`)).json()) as { revision: number; review: { id: string }[] }
  await api(
    page,
    world,
    'POST',
    `/changes/${id}/decisions`,
    { decisions: change.review.map((e) => ({ edit: e.id, verdict: 'accepted' })) },
    { 'If-Match': `"${change.revision}"` },
  )
  const radio = (await (await api(page, world, 'GET', '/packages/com.brannock.radio/trials?maker=brannock&model=lyra-5')).json()) as {
    trials: { run: number; outcome: string }[]
  }
  expect(radio.trials.filter((t) => t.run > 0).map((t) => t.outcome)).toEqual(['clean'])
})

test('a broken function is narrowed down to the one package', { tag: '@either' }, async ({ page, world }) => {
  test.slow()
  await as(page, world, 'technician')
  await attach(page, world)
  const run = await latest(page, world)
  await page.goto(`${world.url}/bench/runs/${run}`)
  const checks = page.getByRole('region', { name: 'Check list' })
  await checks.getByRole('group', { name: 'Try radio' }).getByText('broken').click()
  await checks.getByRole('button', { name: 'Narrow it down' }).click()
  // The phone's radio plays as soon as its package is back.
  for (let question = 0; question < 8; question++) {
    await expect(checks.getByText(/Try it now|It rests on/)).toBeVisible({ timeout: 60_000 })
    if (await checks.getByText('It rests on').isVisible()) break
    const works = world.installed().includes('com.brannock.radio')
    const answered = page.waitForResponse((r) => r.url().endsWith('/halving/answer') && r.ok())
    await checks.getByRole('button', { name: works ? 'It works again' : 'Still broken' }).click()
    await answered
    await expect(checks.getByText(/at most|It rests on/)).toBeVisible({ timeout: 60_000 })
  }
  await expect(checks).toContainText('It rests on com.brannock.radio')
  await expect(sheet(page)).toContainText('finished', { timeout: 60_000 })
  await expect.poll(() => world.installed().includes('com.brannock.radio')).toBe(true)
  expect(world.installed()).not.toContain('com.brannock.calendar')
  await expect(page.getByRole('region', { name: 'Evidence' })).toContainText('1 function lost')
  await expect.poll(async () => (await status(world)).runs.harmed).toBe(1)
  const record = await (await fetch(`${world.url}/run/${await number(page, world)}`)).text()
  expect(record).toContain('So it rests on com.brannock.radio.')
  expect(record).not.toContain(world.serial)

  // One that is put back by name asks what was missed: one tap makes a trial of it.
  await step(page, 'com.brannock.calendar').getByRole('button', { name: 'Put back com.brannock.calendar' }).click()
  const missed = page.getByRole('listitem', { name: 'What was missed' })
  await missed.getByLabel('Something else that was missed').fill('Reminders')
  await missed.getByRole('button', { name: 'That' }).click()
  await expect(missed).toContainText('In your tray: reminders was lost without it.')
  await expect.poll(() => world.installed().includes('com.brannock.calendar')).toBe(true)
  const { items } = (await (await api(page, world, 'GET', '/tray')).json()) as {
    items: { package: string; value: { outcome: string; function: string; recovery: string } }[]
  }
  const trial = items.find((e) => e.value.function === 'reminders')
  expect(trial?.package).toBe('com.brannock.calendar')
  expect(trial?.value).toMatchObject({ outcome: 'function-lost', recovery: 'put-back' })
})

// putBack puts back all that the last run did.
async function putBack(page: Page, world: World) {
  const run = await latest(page, world)
  await api(page, world, 'POST', `/runs/${run}/put-back`, {})
  const state = async () => ((await (await api(page, world, 'GET', `/runs/${run}`)).json()) as { run: { state: string } }).run.state
  await expect.poll(state).toBe('put-back')
}
async function latest(page: Page, world: World): Promise<string> {
  const { items } = (await (await api(page, world, 'GET', '/runs?limit=1')).json()) as { items: { id: string }[] }
  return items[0]!.id
}
async function number(page: Page, world: World): Promise<number> {
  const { items } = (await (await api(page, world, 'GET', '/runs?limit=1')).json()) as { items: { number: number }[] }
  return items[0]!.number
}

test('a keyboard is pinned by its file, given, put in before anything goes, and taken out again', { tag: '@either' }, async ({ page, world }, info) => {
  test.slow()
  const folder = info.outputPath('put-in')
  world.roster('phone', 'files', folder)
  const keys = `${folder}/org.openhearth.keys.apk`
  const hearth = ['base.apk', 'split_config.en.apk'].map((name) => `${folder}/org.openhearth.home/${name}`)

  // The maintainer chooses the file, and the profile keeps who signed it.
  const id = await draft(page, world, 'Ward keys')
  await page.goto(`${world.url}/profiles/${id}`)
  await page.getByRole('button', { name: 'add a step' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.locator('input[type=file]').setInputFiles(keys)
  await expect(dialog.getByLabel('Its package')).toHaveValue('org.openhearth.keys')
  await expect(dialog).toContainText('Signed by 23a5b0f852eeed09')
  await dialog.getByLabel('Where to get it, in words').fill('the shelf in room 3')
  await dialog.getByLabel('The job that it takes over').click({ force: true })
  await page.getByRole('option', { name: 'keyboard' }).click()
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await page.getByRole('button', { name: 'Keep the rules' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Profile' })).toContainText('as kept')
  await sign(page, world, id)

  await as(page, world, 'technician')
  await attach(page, world)
  await putBack(page, world)
  const before = world.installed()
  await rehearse(page, world, 'Ward keys')
  await expect(page.getByText('the file of Open Keys is wanted: give it, or leave step 1 out')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Run it', exact: true })).toBeDisabled()
  const files = page.getByRole('region', { name: 'Files to put in' })
  await expect(files).toContainText('wanted; get it from: the shelf in room 3')
  // A part without its own file is not taken, and says so.
  await files.locator('input[type=file]').setInputFiles(hearth[1]!)
  await expect(files.getByRole('alert')).toContainText('whose own file is not among them')
  await files.locator('input[type=file]').setInputFiles([keys, ...hearth])
  await expect(files).toContainText('ready on this bench: version 2.0.1')
  await page.getByRole('button', { name: 'Run it', exact: true }).click()
  await page.getByRole('button', { name: 'Run it now' }).click()
  await expect(sheet(page)).toContainText('finished', { timeout: 120_000 })
  expect(world.installed()).toContain('org.openhearth.keys')
  const chosen = () => world.adb('shell', 'settings get secure default_input_method')
  expect(chosen()).toBe('org.openhearth.keys/.InputService')

  await putBack(page, world)
  expect(chosen()).toBe('com.brannock.keys/.InputService')
  expect([...world.installed()].sort()).toEqual([...before].sort())
})
