// Reading any phone, from anywhere: the demo's stand-ins in their states, a
// bench elsewhere, names, watching, an update, and a bug report from a phone.
import { execFileSync } from 'node:child_process'
import { api, as, attach, expect, phoneLine, test, type World } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'bench' })

async function open(page: Page, world: World, who = 'technician') {
  await as(page, world, who)
  await page.getByRole('link', { name: /^Bench/ }).click()
}

const line = (page: Page, address: string) => page.getByRole('button', { name: new RegExp(address) })
const sheet = (page: Page) => page.getByRole('region', { name: 'Phone', exact: true })
const hand = (page: Page) => page.getByRole('region', { name: 'Hand of the stand-in' })

test('stand-ins in four states, and a hand that changes them', async ({ page, world }) => {
  await open(page, world)
  const [asks, drawer, television] = world.others as [string, string, string]
  await expect(line(page, world.phone)).toContainText('15.0.0, Android 15')
  await expect(line(page, asks)).toContainText('waits for you to accept')
  await expect(line(page, drawer)).toContainText('not plugged in')
  await expect(line(page, television)).toContainText('12.6.2, Android 12')

  await line(page, asks).click()
  await expect(sheet(page)).toContainText('tap Allow')
  await expect(page.getByRole('img', { name: /asks whether to trust/ })).toBeVisible()
  await hand(page).getByRole('button', { name: 'Accept the computer' }).click()
  await expect(line(page, asks)).toContainText('Lakeline 11.3.1, Android 11')

  await line(page, drawer).click()
  await expect(sheet(page)).toContainText('Its cable is out')
  await hand(page).getByRole('button', { name: 'Plug it in' }).click()
  await expect(line(page, drawer)).toContainText('Norrwave 14.2.1, Android 14')
  await hand(page).getByRole('button', { name: 'Pull the cable' }).click()
  await expect(line(page, drawer)).not.toContainText('Android 14')
})

test('the television is captured, and its names are read once', async ({ page, world }) => {
  await open(page, world)
  await line(page, world.others[2]!).click()
  // What arrives later moves nothing under the finger.
  let answer = () => {}
  const held = new Promise<void>((r) => (answer = r))
  await page.route('**/intake', (route) => held.then(() => route.continue()), { times: 1 })
  await page.getByRole('button', { name: /^Capture/ }).click()
  const stored = page.getByTestId('stored')
  const link = stored.getByRole('link', { name: 'What it means' })
  await expect(stored).toContainText('Comparing it with what was known')
  const place = await link.boundingBox()
  answer()
  await expect(stored).toContainText('never seen before')
  expect(await link.boundingBox()).toEqual(place)
  await link.click()
  const intake = page.getByRole('region', { name: 'Intake' })
  await expect(intake).toContainText('Pellmont View 43, 12.6.2')
  await expect(intake).toContainText('the only one') // its keyboard
  await page.getByRole('button', { name: 'Read the names from the phone' }).click()
  await expect(intake).toContainText('The files of all its packages have been read', { timeout: 120_000 })
  await page.goto(`${world.url}/packages/tv.pellmont.hbb?maker=pellmont&model=view-43`)
  await expect(page.getByRole('heading', { name: 'Red Button', level: 1 })).toBeVisible()
})

test('a phone with a number that many have gets a label, and is asked about after a restart', async ({ page, world }) => {
  await open(page, world)
  const box = world.others[3]!
  await line(page, box).click()
  await hand(page).getByRole('button', { name: 'Plug it in' }).click()
  await expect(line(page, box)).toContainText('13.0.2, Android 13')
  await expect(sheet(page)).toContainText('It tells no serial number of its own')
  await sheet(page).getByLabel('Label').fill('BOX-7')
  await sheet(page).getByRole('button', { name: 'Label it' }).click()
  await expect(sheet(page)).toContainText('Told apart by its label BOX-7')
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByTestId('stored')).toBeVisible()
  await hand(page).getByRole('button', { name: 'Pull the cable' }).click()
  await expect(line(page, box)).not.toContainText('Android 13')
  await hand(page).getByRole('button', { name: 'Plug it in' }).click()
  await expect(sheet(page)).toContainText('Told apart by its label BOX-7')
  await hand(page).getByRole('button', { name: 'Restart' }).click()
  await expect(sheet(page)).toContainText('The phone that hung here before was BOX-7')
  await sheet(page).getByRole('button', { name: 'It is that one' }).click()
  await expect(sheet(page)).toContainText('Told apart by its label BOX-7')
})

test('what is this app: watched, and from pasted lines', { tag: '@either' }, async ({ page, world }) => {
  await open(page, world)
  await attach(page, world)
  await phoneLine(page, world).click()
  const watch = page.getByRole('region', { name: 'What is this app?' })
  await watch.getByRole('button', { name: /^Watch/ }).click()
  await expect(watch).toContainText('Open the app on the phone now')
  await page.getByLabel('Package to open, or to need').fill('com.fieldnote.chirrup')
  await page.getByRole('button', { name: 'Open this app' }).click()
  await expect(watch.getByRole('link', { name: 'com.fieldnote.chirrup' })).toBeVisible()
  await expect(watch).toContainText('started with it: com.fieldnote.services, com.fieldnote.appmanager')
  await watch.getByRole('button', { name: /^Stop watching/ }).click()
  await watch.getByRole('button', { name: 'from pasted lines' }).click()
  await watch
    .getByLabel("Lines of the phone's log")
    .fill('I/ActivityTaskManager( 14): START u0 {cat=[android.intent.category.LAUNCHER] cmp=com.brannock.clock/.Main} from uid 10053')
  await watch.getByRole('button', { name: 'Read' }).click()
  await expect(watch.getByRole('link', { name: 'com.brannock.clock' })).toBeVisible()
})

test('a capture, and what its packages are called', { tag: '@either' }, async ({ page, world }) => {
  await open(page, world)
  await attach(page, world)
  await phoneLine(page, world).click()
  await page.getByRole('button', { name: /^Capture/ }).click()
  await page.getByTestId('stored').getByRole('link', { name: 'What it means' }).click()
  const intake = page.getByRole('region', { name: 'Intake' })
  await expect(intake).toContainText('Brannock Lyra 5')
  await page.getByRole('button', { name: 'Read the names from the phone' }).click()
  await expect(intake).toContainText('The files of all its packages have been read', { timeout: 120_000 })
})

test('nothing of a browser’s bench is loaded before it is asked for, and one tab has it', { tag: '@browser' }, async ({ page, context, world }) => {
  const loaded: string[] = []
  page.on('request', (r) => /\.wasm|worker-/.test(r.url()) && loaded.push(r.url()))
  await open(page, world)
  await expect(page.getByRole('button', { name: 'Attach a stand-in' })).toBeVisible()
  await expect(page.getByRole('group', { name: 'This browser' })).toContainText('Nothing is installed')
  expect(loaded).toEqual([])
  await attach(page, world)
  const second = await context.newPage()
  await second.goto(`${world.url}/bench`)
  await expect(second.getByRole('alert')).toContainText('Another tab of this browser is the bench already')
  // A maintainer ends it: the page says so, and can begin anew.
  await second.close()
  const maintainer = await context.browser()!.newPage()
  await as(maintainer, world, 'maintainer')
  const { items } = (await (await api(maintainer, world, 'GET', '/benches')).json()) as { items: { id: string; personId?: string; name: string }[] }
  const bench = items.find((b) => b.personId)!
  expect(bench.name).toBe('Tove Lindqvist’s browser')
  await maintainer.goto(`${world.url}/bench`)
  await expect(maintainer.getByText('What is done with these phones their person does')).toBeVisible()
  await api(maintainer, world, 'DELETE', `/benches/${bench.id}`)
  await maintainer.close()
  await expect(page.getByRole('alert')).toContainText('This browser was turned away')
  await page.getByRole('button', { name: 'Begin anew' }).click()
  await expect(phoneLine(page, world)).toContainText('Android')
})

test('a browser says what keeps it from phones', async ({ page, world }) => {
  await as(page, world, 'technician')
  const browser = page.getByRole('group', { name: 'This browser' })
  await page.goto(`${world.url}/bench`)
  await browser.getByRole('button', { name: 'Attach a phone' }).click()
  await expect(browser).toContainText('No phone was picked') // there is none to pick
  await page.addInitScript(() => delete (Navigator.prototype as { usb?: unknown }).usb)
  await page.reload()
  await expect(browser).toContainText('This browser has no USB')
  await expect(browser.getByRole('button', { name: 'Attach a phone' })).toHaveCount(0)
  await page.addInitScript(() => Object.defineProperty(window, 'isSecureContext', { value: false }))
  await page.reload()
  await expect(browser).toContainText('This page is not reached safely')
})

test('a bench elsewhere offers its phone, takes a capture and is revoked', async ({ page, world }) => {
  const phone = await world.standIn('phones/nib-2-shelf.yaml')
  await open(page, world, 'maintainer')
  await page.getByRole('button', { name: 'Benches elsewhere' }).click()
  await page.getByLabel('What the bench is called').fill('the children’s ward')
  await page.getByRole('button', { name: 'Make a token' }).click()
  const command = (await page.getByRole('status').filter({ hasText: 'Shown this once' }).locator('code').textContent()) ?? ''
  const token = /ROSTER_BENCH_TOKEN=(\S+)/.exec(command)?.[1] ?? ''
  const process = await world.bench(token, phone)
  await expect(line(page, phone.address)).toContainText('waits for you to accept')
  await phone.accept()
  await expect(line(page, phone.address)).toContainText('Lakeline 11.3.1')
  await line(page, phone.address).click()
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByTestId('stored')).toContainText('Sorrel Nib 2 on Lakeline 11.3.1')
  await page.getByRole('button', { name: 'Revoke' }).click()
  await page.getByRole('button', { name: 'End its access for good' }).click()
  await expect(line(page, phone.address)).toHaveCount(0)
  await expect.poll(() => process.exitCode, { timeout: 90_000 }).not.toBeNull()
})

test('a firmware update is taken in, and its intake says what it brings', { tag: '@either' }, async ({ page, world }) => {
  await open(page, world)
  await attach(page, world)
  await phoneLine(page, world).click()
  await hand(page).getByRole('button', { name: 'Take the update to 15.0.1' }).click()
  await expect(phoneLine(page, world)).toContainText('15.0.1, Android 15')
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByTestId('stored')).toContainText('A firmware that nobody had captured')
  await page.getByTestId('stored').getByRole('link', { name: 'What it means' }).click()
  const intake = page.getByRole('region', { name: 'Intake' })
  await expect(intake).toContainText('Since the open edition 15.0.0')
  for (const name of ['com.brannock.tunes', 'com.brannock.offers', 'com.brannock.passkeys', 'com.brannock.music'])
    await expect(intake.getByTitle(name).first()).toBeVisible()
  await intake.getByRole('button', { name: 'Change who put com.brannock.offers there' }).first().click()
  await page.getByRole('dialog').getByText('Paid placement').click()
  await page.getByRole('dialog').getByLabel('How you know').fill('It shows what shops pay for.')
  await page.getByRole('dialog').getByRole('button', { name: 'Into the tray' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Tray' })).toContainText('1 edit')
})

test('a bug report is sent from a phone’s browser at 360 px', async ({ page, world }) => {
  await page.setViewportSize({ width: 360, height: 740 })
  await open(page, world)
  const shell = (command: string) => world.adb('shell', command)
  const report = `== dumpstate: 2026-11-01\nPRIVATE 555-0100\n------ SYSTEM PROPERTIES (getprop) ------\n${shell('getprop')}\n------ 0.1s was the duration ------\nDUMP OF SERVICE account:\nPRIVATE somebody\nDUMP OF SERVICE package:\n${shell('dumpsys package')}\n--------- 0.1s was the duration of dumpsys package\n`
  const folder = world.file('main_entry.txt', 'bugreport-lyra5.txt').replace('main_entry.txt', '')
  world.file('bugreport-lyra5.txt', report)
  execFileSync('zip', ['-q', 'bugreport.zip', 'main_entry.txt', 'bugreport-lyra5.txt'], { cwd: folder })
  await page.getByRole('button', { name: /From files/ }).click()
  await expect(page.getByText('A bug report holds private things.')).toBeVisible()
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await page.locator('input[type=file]').setInputFiles(`${folder}bugreport.zip`)
  await expect(page.getByTestId('stored')).toContainText('Brannock Lyra 5')
  await page.getByRole('link', { name: 'What it means' }).click()
  await expect(page.getByRole('region', { name: 'Intake' })).toContainText('from files')
  await expect(page.getByText('PRIVATE')).toHaveCount(0)
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
})

test('the command line captures with names, and the file can be sent in', async ({ page, world }) => {
  const file = world.file('portable.json', '')
  world.roster('capture', '--phone', world.others[2]!, '--names', '--output', file)
  await open(page, world)
  await page.getByRole('button', { name: /From files/ }).click()
  await page.locator('input[type=file]').setInputFiles(file)
  await expect(page.getByTestId('stored')).toContainText('Pellmont View 43 on 12.6.2')
  expect(world.roster('bench', 'phones')).toContain(world.phone)
})

test('what was saved is listed, checked, kept, and deleted for good', { tag: '@either' }, async ({ page, world }) => {
  await open(page, world)
  await attach(page, world)
  type Bench = { id: string; view: { phones: { address: string; handle: string }[] } }
  const { items } = (await (await api(page, world, 'GET', '/benches')).json()) as { items: Bench[] }
  const bench = items.find((b) => b.view.phones.some((p) => p.address === world.phone))!
  const { handle } = bench.view.phones.find((p) => p.address === world.phone)!
  await api(page, world, 'POST', `/benches/${bench.id}/phones/${handle}/backups`, { packages: ['com.brannock.tips'], settings: false })
  await page.getByRole('button', { name: /^Saved/ }).click()
  const row = page.getByRole('region', { name: 'Saved' }).getByRole('row').filter({ hasText: 'Lyra 5' })
  await expect(async () => {
    await page.getByRole('button', { name: /^Runs/ }).click()
    await page.getByRole('button', { name: /^Saved/ }).click()
    await expect(row).toContainText('1 package,', { timeout: 2_000 })
  }).toPass()
  await row.getByRole('button', { name: 'check' }).click()
  await expect(row).toContainText('checked just now')
  await row.getByRole('button', { name: 'keep' }).click()
  await expect(row).toContainText('kept')
  await row.getByRole('button', { name: 'delete' }).click()
  await row.getByRole('button', { name: 'delete for good' }).click()
  await expect(page.getByRole('alert')).toContainText('somebody marked it to be kept')
  await row.getByRole('button', { name: 'let it end' }).click()
  await row.getByRole('button', { name: 'delete' }).click()
  await row.getByRole('button', { name: 'delete for good' }).click()
  await expect(page.getByRole('heading', { name: 'Nothing is saved' })).toBeVisible()
})
