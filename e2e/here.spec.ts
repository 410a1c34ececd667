// A release done by a stranger from its own page: no account, nothing sent, and
// everything found again after the page was closed.
import { as, expect, test, type World } from './world'
import type { Page } from '@playwright/test'
import { execFileSync } from 'node:child_process'
import { createReadStream, existsSync, readFileSync, statSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { extname, join } from 'node:path'
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

// plugged opens the page, and has the pretend phone attached and accepted.
async function plugged(page: Page, world: World, path = ward) {
  await page.goto(`${world.url}${path}.here.html`)
  await press(page, 'Begin')
  await press(page, 'I have done this')
  const [attach, allow, take] = ['Try it on a pretend phone', 'Allow', 'This one'].map((name) => page.getByRole('button', { name, exact: true }))
  await expect(attach!.or(allow!).or(take!)).toBeVisible() // it may hang there, and be accepted, from before
  if (await attach!.isVisible()) await attach!.click()
  await expect(allow!.or(take!)).toBeVisible()
  if (await allow!.isVisible()) await allow!.click()
  await press(page, 'This one')
  await expect(heading(page, 'What goes, and what you would lose')).toBeVisible()
}

test('a stranger does it, closes the page in the middle, goes on, and undoes by function and all', { tag: '@browser' }, async ({ page, context, world }) => {
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
  await press(page, /^Do it now/)
  await expect(page.getByText(/^[3-9] of \d+ steps/)).toBeVisible()
  await page.close()

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
  await press(page, 'file sharing')
  await expect(heading(page, /Done|Stopped/)).toBeVisible()
  await expect(page.getByRole('button', { name: 'file sharing' })).toBeHidden()
  await press(page, 'Put everything back')
  await press(page, 'Yes, put everything back')
  await expect(heading(page, 'Everything is back')).toBeVisible({ timeout: 120_000 })
  await press(page, /finish$/)
  await expect(page.getByText('The phone still listens to this computer.')).toBeVisible()
  await hand(world, 'unplug')
  await expect(page.getByText('The phone no longer listens to this computer.')).toBeVisible()
  await hand(world, 'plug')
  expect(sent.filter((s) => !s.endsWith('/stand-ins/1/hand'))).toEqual(['POST /tell'])
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
  // Two look at it, as the rules of the sample world want.
  for (const who of ['keeper', 'second']) {
    await as(page, world, who, '/review')
    const change = await page.request.get(`${world.url}/api/v1/changes/${id}`)
    const { state } = (await change.json()) as { state: string }
    if (state !== 'sent') break
    const data = { decisions: items.map((i) => ({ edit: i.id, verdict: 'accepted' })) }
    const decided = await page.request.post(`${world.url}/api/v1/changes/${id}/decisions`, { data, headers: { 'If-Match': change.headers()['etag']! } })
    expect(decided.ok(), await decided.text()).toBe(true)
  }
  expect(await ceiling()).toBeGreaterThan(before)
  await page.goto(address)
  await expect(page.getByText('Taken up')).toBeVisible()
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

const types: Record<string, string> = {
  '.html': 'text/html',
  '.js': 'text/javascript',
  '.css': 'text/css',
  '.json': 'application/json',
  '.wasm': 'application/wasm',
}

// host hands files out as any static host does.
async function host(folder: string): Promise<Server> {
  const server = createServer((ask, answer) => {
    let file = join(folder, new URL(ask.url!, 'http://x').pathname)
    if (existsSync(file) && statSync(file).isDirectory()) file = join(file, 'index.html')
    if (!existsSync(file)) return void answer.writeHead(404).end()
    answer.writeHead(200, { 'Content-Type': types[extname(file)] ?? 'application/octet-stream' })
    createReadStream(file).pipe(answer)
  })
  await new Promise<void>((listens) => server.listen(0, '127.0.0.1', listens))
  return server
}

test('from a static export, and with no connection once it was loaded', { tag: '@browser' }, async ({ page, world }) => {
  const folder = join(world.folder, 'hosted')
  execFileSync(process.env.ROSTER_PROGRAM!, ['export', '--site', folder, '--public-url', 'https://roster.example', '--database', world.database])
  const server = await host(folder)
  const { port } = server.address() as { port: number }
  await page.goto(`http://127.0.0.1:${port}${ward}.here.html`)
  await expect(page.getByRole('button', { name: 'Begin' })).toBeVisible()
  await page.waitForFunction(async () => {
    const kept = await (await caches.open('roster-1')).keys()
    return kept.some((k) => k.url.endsWith('.wasm')) && kept.some((k) => k.url.endsWith('.status.json'))
  })
  await new Promise((closed) => {
    server.close(closed)
    server.closeAllConnections()
  })
  await page.reload()
  await expect(page.getByText(/signed by .*, with the key [0-9A-F]{16}, and unchanged/)).toBeVisible()
  await press(page, 'Begin')
  await expect(page.getByText('Switch on USB debugging')).toBeVisible()
})
