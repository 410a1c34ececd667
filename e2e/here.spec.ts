// A release done by a stranger from its own page: no account, nothing sent, and
// everything found again after the page was closed.
import { as, expect, test, type World } from './world'
import type { Page } from '@playwright/test'
import { execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { clean } from './axe'

test.use({ of: 'here' })

const ward = '/r/brannock/lyra-5/ward-phone/2'
const press = (page: Page, name: string | RegExp) => page.getByRole('button', { name, exact: typeof name === 'string' }).click()
const heading = (page: Page, name: string | RegExp) => page.getByRole('heading', { name, exact: typeof name === 'string' })

const hand = (world: World, action: string, more?: string) =>
  fetch(`${world.url}/api/v1/stand-ins/1/hand`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ action, with: more }),
  })

// attached has the pretend phone attached, and this computer accepted.
async function attached(page: Page) {
  const [attach, allow] = ['Try it on a pretend phone', 'Allow'].map((name) => page.getByRole('button', { name, exact: true }))
  const ready = page.getByText('Brannock, 15.0.0').or(page.getByLabel('Choose the log'))
  await expect(attach!.or(allow!).or(ready)).toBeVisible() // it may hang there, and be accepted, from before
  if (await attach!.isVisible()) await attach!.click()
  await expect(allow!.or(ready)).toBeVisible()
  if (await allow!.isVisible()) await allow!.click()
  await expect(ready).toBeVisible()
}

// plugged opens the page, and has the pretend phone attached and accepted.
async function plugged(page: Page, world: World, path = ward) {
  await page.goto(`${world.url}${path}.here.html`)
  await press(page, 'Begin')
  await press(page, 'I have done this')
  await attached(page)
  await press(page, 'This one')
  await expect(heading(page, 'What goes, and what you would lose')).toBeVisible()
}

test('a stranger does it, closes the page in the middle, and goes on; another undoes by function and all', { tag: '@browser' }, async ({ page, context, browser, world }) => {
  const sent: string[] = []
  context.on('request', (r) => r.method() !== 'GET' && sent.push(`${r.method()} ${new URL(r.url()).pathname}`))
  await page.goto(world.url + ward)
  await page.getByRole('link', { name: 'Do it here' }).click()
  await expect(page.getByText('Nothing about your phone is sent anywhere')).toBeVisible()
  await expect(page.getByText(/signed by .*, with the key [0-9A-F]{16}, and unchanged/)).toBeVisible()
  await clean(page, 'the beginning')
  await plugged(page, world)
  await clean(page, 'the decision')
  const goes = page.getByRole('status').filter({ hasText: /apps? goe?s?/ })
  const all = Number(/(\d+) app/.exec(await goes.innerText())![1])
  const question = page.getByRole('listitem').filter({ hasText: 'file sharing' })
  await question.getByLabel('I use this: keep it').check()
  await expect(goes).toContainText(`${all - 1} apps go. 1 stays`)
  await question.getByLabel('I use this: keep it').uncheck()
  await expect(goes).toContainText(`${all} apps go`)
  for (const box of await page.getByLabel('I saw to it').all()) await box.check()
  for (const skip of await page.getByRole('button', { name: 'Leave this out' }).all()) await skip.click()
  await press(page, 'Next')
  await page.getByLabel('There is nothing to save').check()
  await hand(world, 'slow', '1500') // so that the middle is there for long enough to be met
  await press(page, /^Do it now/)
  await expect(page.getByText(/^[3-9] of \d+ steps/)).toBeVisible()
  await page.close()
  await hand(world, 'slow', '0')

  page = await context.newPage()
  await page.goto(`${world.url}${ward}.here.html`)
  await expect(page.getByText('Begun before in this browser')).toBeVisible()
  await press(page, 'Go on')
  await expect(heading(page, 'Interrupted')).toBeVisible()
  await press(page, 'Go on')
  await expect(heading(page, 'Done')).toBeVisible({ timeout: 120_000 })
  await clean(page, 'what came of it')
  const saved = page.waitForEvent('download')
  await press(page, 'Save the log')
  const log = readFileSync(await (await saved).path(), 'utf8')
  expect(log).toMatch(/^# roster-log\/1\n# release [0-9a-f]{64}\n/)
  expect(log).toContain('done\tremove-for-user\tcom.brannock.sharebeam\t')
  await page.getByText('Tell what happened').first().click()
  await page.getByLabel('Something is missing that I use').check()
  await page.getByLabel('What is it? (a word or two)').fill('pictures <b>nearby</b>')
  await clean(page, 'telling')
  const told = context.waitForEvent('page')
  await press(page, 'Send it')
  const answer = await told
  await expect(answer.getByText('Waits to be read')).toBeVisible()
  await expect(answer.getByText('pictures <b>nearby</b>')).toBeVisible()
  await clean(answer, 'what was told')
  await answer.close()
  await page.close()

  // Another profile of the browser, a week later: nothing is known there but the log.
  const other = await browser.newContext()
  other.on('request', (r) => r.method() !== 'GET' && sent.push(`${r.method()} ${new URL(r.url()).pathname}`))
  page = await other.newPage()
  await page.clock.setSystemTime(Date.now() + 7 * 86_400_000)
  await page.goto(`${world.url}${ward}.here.html`)
  await press(page, 'Undo with a log from another computer')
  await attached(page)
  await page.getByLabel('Choose the log').setInputFiles({ name: 'a.log', mimeType: 'text/plain', buffer: Buffer.from(log) })
  await expect(page.getByRole('link', { name: 'Brannock Lyra 5: Ward phone' })).toBeVisible()
  await press(page, 'file sharing')
  await expect(page.getByRole('button', { name: 'file sharing' })).toBeHidden()
  await press(page, 'Put everything back')
  await press(page, 'Yes, put everything back')
  await expect(heading(page, 'Everything is back')).toBeVisible({ timeout: 120_000 })
  await press(page, /finish$/)
  await expect(page.getByText('The phone still listens to this computer.')).toBeVisible()
  await hand(world, 'unplug')
  await expect(page.getByText('The phone no longer listens to this computer.')).toBeVisible()
  await hand(world, 'plug')
  await page.goto('about:blank')
  await other.close()
  expect(sent.filter((s) => !s.endsWith('/stand-ins/1/hand'))).toEqual(['POST /tell'])
})

// accept has two look at a change, as the rules of the sample world want, and signs
// the last of them in.
async function accept(page: Page, world: World, id: string, items: { id: string }[]) {
  for (const who of ['keeper', 'second']) {
    await as(page, world, who, '/review')
    const change = await page.request.get(`${world.url}/api/v1/changes/${id}`)
    const { state } = (await change.json()) as { state: string }
    if (state !== 'sent') break
    const data = { decisions: items.map((i) => ({ edit: i.id, verdict: 'accepted' })) }
    const decided = await page.request.post(`${world.url}/api/v1/changes/${id}/decisions`, { data, headers: { 'If-Match': change.headers()['etag']! } })
    expect(decided.ok(), await decided.text()).toBe(true)
  }
}

test('what a list puts in never leaves the browser as a file, and is taken out again', { tag: '@browser' }, async ({ page, context, world }, info) => {
  const sent: string[] = []
  context.on('request', (r) => r.method() !== 'GET' && sent.push(`${r.method()} ${new URL(r.url()).pathname}`))
  const folder = info.outputPath('put-in')
  world.roster('phone', 'files', folder)
  const hearth = ['base.apk', 'split_config.en.apk'].map((name) => `${folder}/org.openhearth.home/${name}`)
  await plugged(page, world)
  const before = world.installed()
  const step = page.getByRole('listitem').filter({ hasText: 'Put in Open Hearth' })
  await expect(step).toContainText('Its file is needed. It stays on this computer.')
  await clean(page, 'a file that is wanted')
  const file = step.getByLabel('Choose its file')
  await file.setInputFiles(`${folder}/org.openhearth.keys.apk`)
  await expect(page.getByText('this release puts nothing of that name in')).toBeVisible()
  await file.setInputFiles(hearth)
  await expect(step).toBeHidden()
  for (const box of await page.getByLabel('I saw to it').all()) await box.check()
  await press(page, 'Next')
  await page.getByLabel('There is nothing to save').check()
  await press(page, /^Do it now/)
  await expect(heading(page, 'Done')).toBeVisible({ timeout: 120_000 })
  expect(world.installed()).toContain('org.openhearth.home')
  expect(world.adb('shell', 'cmd role get-role-holders android.app.role.HOME')).toBe('org.openhearth.home')
  await press(page, 'Put everything back')
  await press(page, 'Yes, put everything back')
  await expect(heading(page, 'Everything is back')).toBeVisible({ timeout: 120_000 })
  expect([...world.installed()].sort()).toEqual([...before].sort())
  expect(world.adb('shell', 'cmd role get-role-holders android.app.role.HOME')).toBe('com.brannock.home')
  expect(sent.filter((s) => !s.endsWith('/stand-ins/1/hand'))).toEqual([])
})

test('a reviewer makes trials of what a stranger told, and the ceiling moves', { tag: '@browser' }, async ({ page, world }) => {
  const body = new URLSearchParams({ release: ward, outcome: 'broken', packages: 'com.brannock.tips', words: 'It hums since then.' })
  const { url: address } = await fetch(`${world.url}/tell`, { method: 'POST', body })
  await as(page, world, 'reviewer', '/review/outside')
  const group = page.getByRole('region', { name: /something is broken/ })
  await expect(group.getByText('It hums since then.')).toBeVisible()
  await clean(page, 'what strangers told')
  await group.getByRole('button', { name: 'Make trials of it' }).click()
  const sheet = page.getByRole('dialog')
  await sheet.getByLabel('Firmware').selectOption({ label: ' 15.0.0' })
  await clean(page, 'making trials of it')
  await sheet.getByRole('button', { name: 'Into my tray' }).click()
  await expect(page.getByText('The trials are in your tray')).toBeVisible()
  await expect(group).toBeHidden()
  const asked = await page.request.get(`${world.url}/api/v1/tray`)
  const { items } = (await asked.json()) as { items: { id: string }[] }
  const sent = await page.request.post(`${world.url}/api/v1/changes`, { data: { title: 'Told from outside', edits: items.map((i) => i.id) } })
  const { id } = (await sent.json()) as { id: string }
  const dossier = `${world.url}/api/v1/packages/com.brannock.tips?maker=brannock&model=lyra-5`
  const ceiling = async () => {
    const { methods } = (await (await page.request.get(dossier)).json()) as { methods: { method: string; ceiling: number }[] }
    return methods.find((m) => m.method === 'remove-for-user')!.ceiling
  }
  const before = await ceiling()
  await accept(page, world, id, items)
  expect(await ceiling()).toBeGreaterThan(before)
  await page.goto(address)
  await expect(page.getByText('Taken up')).toBeVisible()
})

test('a phone that is not listed is read in the page, and a reviewer takes it in', { tag: '@browser' }, async ({ page, world }) => {
  await page.goto(`${world.url}/tell`)
  await press(page, 'Read the phone here')
  await press(page, 'I have done this')
  await attached(page)
  await press(page, 'This one')
  await expect(page.getByText(/^Lyra 5: \d+ apps were read\.$/)).toBeVisible()
  await page.getByText('All that is sent of it').click()
  const text = await page.getByLabel('All that is sent of it').inputValue()
  expect(text).toContain('"format": "roster-capture/1"')
  expect(text).not.toContain('BRNLY5')
  await clean(page, 'a phone that is not listed')
  await page.getByLabel('In your own words').fill('I would like the games gone.')
  await press(page, 'Send it')
  await expect(page.getByText('Waits to be read')).toBeVisible()
  await expect(page.getByText(/^With it came what the phone has: \d+ apps\.$/)).toBeVisible()
  await as(page, world, 'reviewer', '/review/outside')
  const group = page.getByRole('region', { name: /a phone that is not listed/ }).filter({ hasText: 'I would like the games gone.' })
  await group.getByRole('button', { name: 'Take it in' }).click()
  await expect(page.getByText('It was taken in as a capture')).toBeVisible()
  await group.getByRole('link', { name: 'Taken in' }).click()
  await expect(page.getByRole('region', { name: 'Intake' })).toContainText('Lyra 5')
})

test('how these phones are made to listen is written, reviewed, and read by their owners', { tag: '@browser' }, async ({ page, world }) => {
  await as(page, world, 'maintainer', '/packages/com.android.settings?maker=brannock&model=lyra-5')
  await press(page, 'say how these phones are let listen')
  const sheet = page.getByRole('dialog')
  await sheet.getByText('all of Brannock').click() // whose guides are there already
  const guides = sheet.getByLabel('Guides, each in a language')
  await expect(guides).toHaveValue(/en, from Android 14\nOpen Settings/)
  await sheet.getByText('Lyra 5', { exact: true }).click()
  await expect(guides).toHaveValue('')
  await guides.fill('en, Android 15\nOpen Settings, then Chapter nine.\nSwitch on <b>USB debugging</b>.')
  await sheet.getByLabel('How you know').fill('Looked.')
  await clean(page, 'writing a guide')
  await press(page, 'Into the tray')
  await expect(sheet).toBeHidden()
  const { items } = (await (await page.request.get(`${world.url}/api/v1/tray`)).json()) as { items: { id: string }[] }
  const sent = await page.request.post(`${world.url}/api/v1/changes`, { data: { title: 'A guide', edits: items.map((i) => i.id) } })
  await accept(page, world, ((await sent.json()) as { id: string }).id, items)
  const begin = async (language: string, ...names: string[]) => {
    await page.goto(`${world.url}${language}${ward}.here.html`)
    for (const name of names) await press(page, name)
  }
  await expect(async () => {
    await begin('', 'Begin')
    await expect(page.getByText('Open Settings, then Chapter nine.')).toBeVisible()
  }).toPass()
  await expect(page.getByText('Switch on <b>USB debugging</b>.')).toBeVisible()
  await clean(page, 'a guide')
  await begin('/de', 'Beginnen')
  await expect(page.getByText('Tippen Sie siebenmal auf Build-Nummer.', { exact: false })).toBeVisible()
})

test('the same in Arabic, from right to left, on a narrow screen', { tag: '@browser' }, async ({ page, world }) => {
  await page.setViewportSize({ width: 360, height: 780 })
  await page.goto(`${world.url}/ar${ward}`)
  expect(await page.evaluate(() => getComputedStyle(document.body).direction)).toBe('rtl')
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await clean(page, 'the page in Arabic')
  await page.getByRole('link', { name: 'نفّذ هنا' }).click()
  await press(page, 'ابدأ')
  await press(page, 'فعلت ذلك')
  const [attach, allow, take] = ['جرّب على هاتف تدريبي', 'السماح', 'هذا'].map((name) => page.getByRole('button', { name, exact: true }))
  await expect(attach!).toBeVisible()
  await attach!.click()
  await expect(allow!.or(take!)).toBeVisible()
  if (await allow!.isVisible()) await allow!.click()
  await take!.click()
  await expect(heading(page, 'ما الذي يذهب، وما الذي ستفقده')).toBeVisible()
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await clean(page, 'the decision in Arabic')
})

const needed = {
  de: 'Was Sie brauchen',
  es: 'Lo que necesita',
  fr: 'Ce qu’il vous faut',
  pt: 'Do que você precisa',
  hi: 'आपको क्या चाहिए',
  zh: '您需要什么',
}
for (const [language, word] of Object.entries(needed))
  test(`the page is clean in ${language}`, { tag: '@browser' }, async ({ page, world }) => {
    await page.goto(`${world.url}/${language}${ward}`)
    await expect(heading(page, word)).toBeVisible()
    await clean(page, language)
    await page.goto(`${world.url}/${language}${ward}.tell.html`)
    await clean(page, `telling in ${language}`)
  })

test.describe('with answers that are not as they were', () => {
  test.use({ serviceWorkers: 'block' }) // its requests are not this test's to change
  test('what was changed, withdrawn or is another phone’s stops it with words; two tabs do not meet', { tag: '@browser' }, async ({ page, context, world }) => {
    await page.route('**/2.json', async (route) => {
      const a = await route.fetch()
      await route.fulfill({ body: (await a.text()).replace('sharebeam', 'sharebean') })
    })
    await page.goto(`${world.url}${ward}.here.html`)
    await expect(page.getByText('The signature does not fit.')).toBeVisible()
    await page.unroute('**/2.json')
    await plugged(page, world)
    for (const box of await page.getByLabel('I saw to it').all()) await box.check()
    for (const skip of await page.getByRole('button', { name: 'Leave this out' }).all()) await skip.click()
    await press(page, 'Next')
    await page.route('**/2.status.json', async (route) => {
      const a = (await (await route.fetch()).json()) as object
      await route.fulfill({ json: { ...a, state: 'withdrawn', reason: 'It took the wallet.' } })
    })
    await page.getByLabel('There is nothing to save').check()
    await press(page, /^Do it now/)
    await expect(page.getByText('this release was withdrawn: It took the wallet.')).toBeVisible()
    const second = await context.newPage()
    await second.goto(`${world.url}${ward}.here.html`)
    await expect(second.getByText('Another tab of this browser is at work')).toBeVisible()
    await second.close()
    await page.unroute('**/2.status.json')
    await plugged(page, world, '/r/brannock/lyra-5-mini/calls-only/2')
    await expect(page.getByText('This list was made for another model.')).toBeVisible()
    await expect(page.getByRole('button', { name: 'Next' })).toBeDisabled()
  })
})

// nginx hands a folder out as any static host does. It can't choose a port by itself:
// where the one it is given turns out to be somebody else's it is started on another.
async function nginx(world: World, folder: string): Promise<{ port: number; end: () => Promise<void> }> {
  for (let i = 0; i < 50; i++) {
    const port = 20_000 + Math.floor(Math.random() * 12_000)
    const conf = world.file(
      'nginx.conf',
      `user root; daemon off; pid ${join(world.folder, 'nginx.pid')}; error_log stderr notice; worker_processes 1; events {}
      http { include /etc/nginx/mime.types; types { application/wasm wasm; } access_log off; 
      ${['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map((what) => `${what}_temp_path ${world.folder};`).join(' ')}
      server { listen 127.0.0.1:${port}; root ${folder}; } }`,
    )
    const child = spawn('nginx', ['-c', conf, '-p', world.folder], { stdio: ['ignore', 'ignore', 'pipe'] })
    let said = ''
    child.stderr.on('data', (piece) => (said += piece))
    const ended = once(child, 'exit')
    while (child.exitCode === null && !said.includes('start worker process ')) await Promise.race([once(child.stderr, 'data'), ended])
    if (child.exitCode === null) return { port, end: async () => void (child.kill('SIGTERM'), await ended) }
    if (!said.includes('Address already in use')) throw new Error(said)
  }
  throw new Error('no port can be had for nginx')
}

test('from a static export, and with no connection once it was loaded', { tag: '@browser' }, async ({ page, world }) => {
  const folder = join(world.folder, 'hosted')
  execFileSync(process.env.ROSTER_PROGRAM!, ['export', '--site', folder, '--public-url', 'https://roster.example', '--database', world.database])
  const { port, end } = await nginx(world, folder)
  await page.goto(`http://127.0.0.1:${port}${ward}.here.html`)
  await expect(page.getByRole('button', { name: 'Begin' })).toBeVisible()
  await page.waitForFunction(async () => {
    const kept = await (await caches.open('roster-1')).keys()
    return kept.some((k) => k.url.endsWith('.wasm')) && kept.some((k) => k.url.endsWith('.status.json'))
  })
  await end()
  await page.reload()
  await expect(page.getByText(/signed by .*, with the key [0-9A-F]{16}, and unchanged/)).toBeVisible()
  await press(page, 'Begin')
  await expect(page.getByText('Switch on USB debugging')).toBeVisible()
})
