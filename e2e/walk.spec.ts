// The walk: from what a phone says about itself to a signed release, run on
// the phone with the real adb, and everything put back.
import type { Page } from '@playwright/test'
import { execFileSync, spawnSync } from 'node:child_process'
import { as, choose, expect, lyra, signIn, test, type World } from './world'

test.use({ of: 'walk' })

const targets = ['com.brannock.frames.lock', 'com.brannock.telemetry', 'com.brannock.ads.ident']

async function capture(page: Page, world: World) {
  await page.getByRole('link', { name: /^Bench/ }).click()
  const phone = page.getByRole('button', {
    name: new RegExp(`Lyra 5.*${world.phone}`),
  })
  await expect(phone).toContainText('15.0.0, Android 15')
  await phone.click()
  await page.getByRole('button', { name: /^Capture/ }).click()
  const stored = page.getByTestId('stored')
  await expect(stored).toContainText('Brannock Lyra 5 on 15.0.0')
  await expect(stored).toContainText('160 packages')
  await expect(stored).toContainText('A known firmware, 1 package never seen before')
  await stored.getByRole('link', { name: 'What it means' }).click()
  const intake = page.getByRole('region', { name: 'Intake' })
  await expect(intake).toContainText('a known firmware')
  await expect(intake).toContainText('every line was understood')
  await intake.getByRole('link', { name: 'See it in the Ledger' }).click()
}

async function ledgerAndDossier(page: Page) {
  await expect(page).toHaveURL(/ledger.*build=/)
  const rows = page.getByRole('grid', { name: 'Packages' })
  await expect(rows.getByTestId('package').first()).toBeVisible()
  await page.getByLabel('Filter the rows').fill('tagesb')
  await expect(rows.getByTestId('package')).toHaveCount(1)
  const row = rows.getByTestId('package')
  await expect(row).toContainText('com.brannock.feed.daily')
  await expect(row.getByRole('img', { name: /^Trials: \d+ clean, 2 times it came back/ })).toBeVisible()
  await expect(row.getByRole('img', { name: 'On 6 of 6 builds' })).toBeVisible()
  await row.getByRole('link').click()
  await expect(page.getByRole('heading', { name: 'Daily Feed', level: 1 })).toBeVisible()
  await expect(
    page.getByText('A page of headlines left of the home screen.', {
      exact: true,
    }),
  ).toBeVisible()
  await expect(page.getByText(/phones, \d people, none harmed: at most \d+ % of Lyra 5 phones on 15.0.0 harmed/)).toBeVisible()
  await page.getByRole('button', { name: /Open the \d+ trials/ }).click()
  await expect(page.getByRole('table').last().getByRole('row')).not.toHaveCount(0)
}

async function addEvidence(page: Page, world: World) {
  for (const name of targets) {
    await page.goto(`${world.url}/packages/${name}${lyra}`)
    await expect(page.getByRole('region', { name: 'Dossier' })).toContainText(name)
    await page.keyboard.press('t')
    const trial = page.getByRole('dialog')
    await expect(trial.getByRole('heading')).toBeVisible()
    await page.keyboard.press('c')
    await trial.getByLabel('Days watched').fill('6')
    await trial.getByLabel('Note').fill('nothing missed <b>at all</b>')
    await trial.getByRole('button', { name: 'Into the tray' }).click()
    await expect(trial).toBeHidden()
    await page.keyboard.press('1')
    const load = page.getByRole('dialog')
    await load.getByLabel('Why').fill('Many phones, weeks without it.')
    await load.getByRole('button', { name: 'Into the tray' }).click()
    await expect(load).toBeHidden()
  }
}

async function trayAndSend(page: Page, world: World) {
  const tray = page.getByRole('contentinfo', { name: 'Tray' })
  await expect(tray).toContainText('6 edits not sent')
  await page.reload()
  await expect(tray).toContainText('6 edits not sent')
  await page.getByRole('button', { name: /^You:/ }).click()
  await page.getByRole('button', { name: 'Sign out' }).click()
  await expect(page.getByLabel('Login')).toBeVisible()
  await signIn(page, world, 'technician')
  await expect(tray).toContainText('on 3 packages')
  await tray.getByRole('button', { name: 'Look and send' }).click()
  await expect(tray).toContainText('removed for the user on Lyra 5 15.0.0: clean')
  await tray.getByLabel('What this is about').fill('Three that nobody missed')
  await tray.getByRole('button', { name: 'Send' }).click()
  await expect(tray).toContainText('Sent.')
  await tray.getByRole('link', { name: 'See the change' }).click()
  await expect(page.getByText('This is yours: somebody else has to decide about it.')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Accept' })).toHaveCount(0)
}

async function review(page: Page, world: World) {
  await as(page, world, 'reviewer')
  await page.getByRole('link', { name: /^Review/ }).click()
  await page.getByRole('link', { name: /Three that nobody missed/ }).click()
  const edits = page.getByRole('article')
  await expect(edits).toHaveCount(6)
  await expect(edits.nth(1)).toContainText('Loose by suggestion')
  await expect(edits.nth(1).getByLabel('becomes')).toBeVisible()
  await expect(edits.nth(1)).toContainText('Loose')
  await expect(edits.nth(0)).toContainText('“nothing missed <b>at all</b>”')
  await expect(page.getByRole('complementary')).toContainText('At most')
  for (const i of [0, 1, 2, 3]) await edits.nth(i).getByRole('button', { name: 'Accept' }).click()
  for (const i of [4, 5]) await edits.nth(i).getByRole('button', { name: 'Return with words' }).click()
  const finish = page.getByRole('button', { name: 'Finish' })
  await expect(finish).toBeDisabled()
  for (const i of [4, 5])
    await edits
      .nth(i)
      .getByLabel(/What is missing/)
      .fill('Which phone was that?')
  await finish.click()
  await expect(edits.nth(0)).toContainText('accepted by Anselm Okoro')
  await expect(edits.nth(5)).toContainText('returned by Anselm Okoro')
  await page.goto(`${world.url}/packages/${targets[0]}${lyra}`)
  const dossier = page.getByRole('region', { name: 'Dossier' })
  await expect(dossier).toContainText('Loose, for Lyra 5')
  await expect(dossier).toContainText('Tove Lindqvist, accepted by Anselm Okoro')
  await as(page, world, 'technician')
  await page.getByRole('link', { name: /^Review/ }).click()
  await page.getByRole('button', { name: 'yours' }).click()
  await page.getByRole('link', { name: /Three that nobody missed.*returned/ }).click()
  await page.getByRole('article').nth(5).getByRole('button', { name: 'Back into the tray' }).click()
  await expect(page.getByRole('status')).toContainText('the next round of this change')
}

async function profile(page: Page, world: World): Promise<string> {
  await as(page, world, 'maintainer', `/profiles${lyra}`)
  await page.getByRole('button', { name: 'New profile' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Edition').fill('Lending desk')
  await dialog.getByLabel('For whom, in a sentence').fill('For a phone that goes to a stranger for a month.')
  await dialog.getByRole('button', { name: 'Make it' }).click()
  const goes = page.getByTestId('goes')
  await expect(goes).not.toHaveText('0')
  const before = Number(await goes.textContent())
  const line = page.getByRole('slider', { name: /^Cut line/ })
  await line.press('ArrowDown')
  await expect(goes).toHaveText(String(before + 1))
  await line.press('ArrowDown')
  await expect(goes).toHaveText(String(before + 2))
  // Dragged to the top nothing goes, and nothing can be published.
  const box = (await line.boundingBox())!
  await page.mouse.move(box.x + 300, box.y + 15)
  await page.mouse.down()
  await page.mouse.move(box.x + 300, 140, { steps: 8 })
  await page.mouse.up()
  await expect(goes).toHaveText('0')
  await expect(page.getByRole('button', { name: 'Ask to publish no. 1' })).toBeDisabled()
  for (let i = 0; i < before + 2; i++) {
    const was = Number(await goes.textContent())
    if (was >= before + 2) break
    await line.press('ArrowDown')
    await expect(goes).not.toHaveText(String(was))
  }
  // One that the phone refuses is pinned into it, with a reason.
  const care = page.locator('.row', { hasText: 'com.brannock.devicecare' })
  await care.hover()
  await care.getByRole('button', { name: 'take' }).click()
  await page.getByRole('dialog').getByLabel(/Why/).fill('To see what the phone says.')
  await page.getByRole('dialog').getByRole('button', { name: 'Take it' }).click()
  await expect(care).toContainText('To see what the phone says.')
  // A setting, a wait and a check of one's own.
  await page.getByRole('button', { name: 'add a step' }).click()
  await choose(dialog, 'Kind of step', 'Change a setting')
  await dialog.getByLabel('Why, in one line').fill('Windows open faster')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await page.getByRole('button', { name: 'add a step' }).click()
  await choose(dialog, 'Kind of step', 'Wait after the removal')
  await dialog.getByLabel('Seconds').fill('1')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await page.getByLabel('Another thing to try').fill('Look at the torch')
  await page.getByLabel('Another thing to try').press('Enter')
  const sheet = page.getByRole('region', { name: 'Run sheet' })
  await expect(sheet).toContainText('Windows open faster')
  await expect(sheet).toContainText('Wait 1 s')
  await expect(sheet).toContainText('Look at the torch')
  await page.getByRole('button', { name: 'Ask to publish no. 1' }).click()
  await expect(dialog.getByRole('region', { name: 'What differs' })).toContainText('The first release.')
  await dialog.getByLabel('For whoever looks at it').fill('Please look at the torch.')
  await dialog.getByRole('button', { name: 'Ask for it' }).click()
  const waiting = page.getByRole('region', { name: 'Waiting to be published' })
  await expect(waiting).toContainText('Another maintainer has to look at it')
  await expect(waiting.getByRole('button', { name: /Sign and publish/ })).toHaveCount(0)
  const address = page.url()
  await as(page, world, 'keeper')
  await page.goto(address)
  await expect(waiting).toContainText('Please look at the torch.')
  await waiting.getByRole('button', { name: 'Sign and publish no. 1' }).click()
  const published = page.getByRole('status')
  await expect(published).toContainText('No. 1 is published and signed')
  return (await published.getByRole('link').getAttribute('href'))!
}

// download fetches a form of the release as anybody would, with no cookie.
async function download(world: World, path: string): Promise<Buffer> {
  const r = await fetch(world.url + path)
  expect(r.status, path).toBe(200)
  return Buffer.from(await r.arrayBuffer())
}

async function publicPage(page: Page, world: World, path: string) {
  await page.context().clearCookies()
  await page.goto(world.url + path)
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Brannock Lyra 5: Lending desk')
  for (const what of ['Another computer', 'Only the phone']) await page.getByText(what, { exact: true }).click()
  for (const form of ['.sh', '.undo.sh', '.phone.sh', '.ps1', '.bat', '.txt', '.csv', '.md', '.sheet.html', '.json', '.json.minisig'])
    await expect(page.locator(`a[href="${path}${form}"]`)).toBeVisible()
}

async function verify(page: Page, world: World, path: string) {
  const document = world.file('release.json', await download(world, `${path}.json`))
  world.file('release.json.minisig', await download(world, `${path}.json.minisig`))
  const key = (await page.locator('pre', { hasText: 'minisign' }).textContent())!.split(' -P ')[1]!.trim()
  const judge = (file: string) => spawnSync('minisign', ['-V', '-m', file, '-x', `${document}.minisig`, '-P', key])
  expect(judge(document).status).toBe(0)
  const changed = Buffer.from((await download(world, `${path}.json`)).toString().replace('com.brannock.tips', 'com.brannock.tipz'))
  expect(judge(world.file('changed.json', changed)).status).not.toBe(0)
  const cli = spawnSync(process.env.ROSTER_PROGRAM!, ['verify', document, '--key', key], { encoding: 'utf8' })
  expect(cli.stdout).toContain('good signature: Brannock Lyra 5, Lending desk, no. 1')
  const rendered = execFileSync(process.env.ROSTER_PROGRAM!, ['render', document, '--form', 'sh', '--where', world.url + path])
  expect(rendered.equals(await download(world, `${path}.sh`))).toBe(true)
}

async function runOnPhone(world: World, path: string) {
  const names = (await download(world, `${path}.txt`)).toString().trim().split('\n')
  const refused = ['com.brannock.devicecare', 'com.brannock.retaildemo'].filter((n) => names.includes(n))
  const remove = world.file('remove.sh', await download(world, `${path}.sh`))
  const undo = world.file('undo.sh', await download(world, `${path}.undo.sh`))
  expect(execFileSync('shellcheck', ['-s', 'sh', '-e', 'SC2016', remove, undo]).toString()).toBe('')
  const script = (file: string, ...args: string[]) =>
    spawnSync('dash', [file, ...args], {
      encoding: 'utf8',
      cwd: world.folder,
      env: {
        ...process.env,
        ADB_SERVER_SOCKET: world.adbServer,
        ANDROID_SERIAL: world.phone,
      },
    })
  const before = world.installed()
  const first = script(remove)
  const after = world.installed()
  const gone = before.filter((n) => !after.includes(n))
  const expected = names.filter((n) => before.includes(n) && !refused.includes(n)).sort()
  expect(gone).toEqual(expected)
  expect(after.filter((n) => !before.includes(n))).toEqual([])
  expect(first.status).toBe(1) // something was refused
  const lines = first.stdout.split('\n').filter((l) => / \d+\/\d+ /.test(l))
  for (const [i, name] of names.entries()) expect(lines[i]).toContain(name)
  expect(first.stdout).toContain('0.5 instead of 1.0')
  expect(first.stdout).toContain('Look at the torch')
  const log = first.stdout.match(/--log (\S+\.log)/)![1]!
  expect(first.stdout).toContain('refused  com.brannock.devicecare  Failure [DELETE_FAILED_INTERNAL_ERROR] (the maker protects it)')
  expect(first.stdout).toMatch(new RegExp(`\n${expected.length} done, 0 already gone, \\d+ absent, ${refused.length} refused, 0 skipped, of ${names.length}\n`))
  const second = script(remove)
  expect(second.stdout).toContain('Nothing was changed.')
  expect(second.stdout).toContain(`${expected.length} already gone`)
  expect(world.installed()).toEqual(after)
  const back = script(undo, '--log', log)
  expect(back.stdout).toContain('back to 1.0')
  expect(back.status).toBe(0)
  expect(world.installed()).toEqual(before)
  const again = script(undo)
  expect(again.status).toBe(0)
  expect(again.stdout).toContain('Nothing was changed.')
  expect(script(remove, '--nonsense').status).toBe(2)
}

test('from a phone to a signed release, and back', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  await capture(page, world)
  await ledgerAndDossier(page)
  await addEvidence(page, world)
  await trayAndSend(page, world)
  await review(page, world)
  const path = await profile(page, world)
  await publicPage(page, world, path)
  await verify(page, world, path)
  await runOnPhone(world, path)
})
