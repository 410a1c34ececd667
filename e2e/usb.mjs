// Measures the bench in a browser against the server's, on one phone of 420
// packages whose dump has 6 MB: how soon it is ready, a capture, a run, and the
// worker's memory meanwhile.
//
//	node e2e/usb.mjs PROGRAM FOLDER
//
// The database is ROSTER_DATABASE_URL's; the demo is started in it.
import { execFileSync, spawn } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { chromium } from '@playwright/test'
import { figure, launched } from './asking.mjs'

const [program, folder] = process.argv.slice(2)
const median = (list) => list.sort((a, b) => a - b)[Math.floor(list.length / 2)]
const children = []
const ended = () => children.forEach((c) => c.kill('SIGTERM'))
process.on('exit', ended)

// One scenario for both phones, but for their serial numbers.
rmSync(folder, { recursive: true, force: true })
mkdirSync(folder, { recursive: true })
cpSync(new URL('../demo/world', import.meta.url), folder, { recursive: true })
const asks = Array.from({ length: 90 }, (_, i) => `MEASURED_PERMISSION_OF_SOME_LENGTH_${i}`).join(', ')
const packages = Array.from({ length: 290 }, (_, i) => `  - {name: app.measured.n${i}, dir: /system/app, version: "1.0.0", asks: [${asks}]}`)
for (const serial of ['BRNLY5M0001', 'BRNLY5M0002'])
  writeFileSync(
    `${folder}/${serial}.yaml`,
    [
      `name: ${serial}`,
      `serial: ${serial}`,
      'model: models/lyra-5.yaml',
      'build: "15.0.0"',
      'prompt: accept',
      'restartTakes: 2s',
      'removalTakes: 120ms',
      'latency: 20ms',
      'packages:',
      ...packages,
    ].join('\n'),
  )

const until = async (what, found, every = 10) => {
  for (const end = Date.now() + 120_000; Date.now() < end;) {
    const value = await found()
    if (value) return value
    await new Promise((r) => setTimeout(r, every))
  }
  throw new Error(`never: ${what}`)
}
const anywhere = ['--listen', '127.0.0.1:0', '--hand', '127.0.0.1:0']
const phone = spawn(program, ['phone', ...anywhere, '--scenario', `${folder}/BRNLY5M0001.yaml`], { stdio: ['ignore', 'pipe', 'ignore'] })
children.push(phone)
let said = ''
phone.stdout.on('data', (d) => (said += d))
const [, address] = await until('the phone listens', () => /listens on (\S+),/.exec(said))
const ready = `${folder}/ready`
const server = spawn(program, ['demo', '--phone', '127.0.0.1:0', '--loose-phone', `${folder}/BRNLY5M0002.yaml`], {
  stdio: 'ignore',
  env: {
    ...process.env,
    ROSTER_LISTEN: '127.0.0.1:0',
    ROSTER_READY_FILE: ready,
    ROSTER_ADB: `localfilesystem:${folder}/adb`,
    ROSTER_SECRET_FILE: `${folder}/secret`,
    ROSTER_BACKUPS: `${folder}/backups`,
  },
})
children.push(server)
const { url } = await until('the server listens', () => existsSync(ready) && JSON.parse(readFileSync(ready, 'utf8')))
await until('the server is ready', async () => (await fetch(`${url}/readyz`)).ok)

const browser = await chromium.launch(launched)
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } })
let tag = '' // of what was read last
const api = async (method, path, data, who = context) => {
  const headers = method === 'PUT' ? { 'If-Match': tag } : {}
  const a = await who.request.fetch(`${url}/api/v1${path}`, { method, data, headers })
  tag = a.headers()['etag'] ?? tag
  if (!a.ok()) throw new Error(`${method} ${path}: ${a.status()} ${await a.text()}`)
  return a.status() === 204 ? undefined : a.json()
}
await api('POST', '/session', { login: 'technician', password: 'lend-a-phone' })
const own = (await api('GET', '/benches')).items[0].id
await api('POST', `/benches/${own}/requests`, { kind: 'connect', address })

// Ready: from the click to the phone in the list, cold.
const soon = []
for (let i = 0; i < 3; i++) {
  const fresh = await browser.newContext({ storageState: await context.storageState() })
  const page = await fresh.newPage()
  await page.goto(`${url}/bench`)
  const button = page.getByRole('button', { name: 'Attach a stand-in' })
  await button.waitFor()
  const begun = Date.now()
  await button.click()
  await page.getByRole('group', { name: 'This browser' }).getByText('stand-in:1').waitFor()
  soon.push(Date.now() - begun)
  await page.goto('about:blank')
  await fresh.close()
}
figure('browser-ready', { value: median(soon) })
console.log(`the bench in a browser is ready ${median(soon)} ms after the click, of ${soon.join(', ')}`)

const at = (wanted) =>
  until(`${wanted} is there`, async () => {
    for (const b of (await api('GET', '/benches')).items.filter((b) => !b.away)) {
      const p = b.view.phones.find((p) => p.address === wanted && p.ready && p.mark)
      if (p) return { bench: b.id, phone: p.handle }
    }
  })

// How long it took is read from the server's record, and asked for seldom: who
// asks much takes from both what they have to work with.
const between = (begun, ended) => new Date(ended) - new Date(begun)
const seldom = 250

async function capture(place) {
  const { id } = await api('POST', `/benches/${place.bench}/requests`, { kind: 'capture', phone: place.phone })
  const job = await until(
    'it is captured',
    async () => {
      const j = await api('GET', `/jobs/${id}`)
      if (j.state === 'failed') throw new Error(j.problem)
      return j.state === 'done' && j
    },
    seldom,
  )
  return { took: between(job.createdAt, job.updatedAt), id: job.result.id, packages: job.result.packages }
}
// What is measured from here on goes on in a browser that nobody watches: whoever
// drives one is told of each message from the simulated cable, at a cost of more
// than the capture's own. It has the profile of one that attached the phone.
const userData = `${folder}/profile`
const driven = await chromium.launchPersistentContext(userData, { ...launched, viewport: null })
await driven.addCookies((await context.storageState()).cookies)
const attaching = await driven.newPage()
await attaching.goto(`${url}/bench`)
await attaching.getByRole('button', { name: 'Attach a stand-in' }).click()
await attaching.getByRole('group', { name: 'This browser' }).getByText('stand-in:1').waitFor()
await capture(await at('stand-in:1'))
// A worker's memory grows and never shrinks.
const most = await attaching.workers()[0].evaluate(() => globalThis.roster.memory())
figure('browser-memory', { value: most / 2 ** 20 })
await driven.close()
const alone = spawn(launched.executablePath, [...launched.args, '--headless=new', `--user-data-dir=${userData}`, `${url}/bench`], { stdio: 'ignore' })
children.push(alone)
const places = { server: await at(address), browser: await at('stand-in:1') }

// A profile of 60 packages, as a maintainer makes it once their firmware was
// captured.
await capture(places.server)
const maintainer = await browser.newContext()
await api('POST', '/session', { login: 'maintainer', password: 'lend-a-phone' }, maintainer)
const { id: profile } = await api(
  'POST',
  '/profiles',
  { maker: 'brannock', model: 'lyra-5', name: 'Measured', purpose: 'To be measured.' },
  maintainer,
)
const { rules } = await api('GET', `/profiles/${profile}`, undefined, maintainer)
const pins = Array.from({ length: 60 }, (_, i) => ({ package: `app.measured.n${i}`, goes: true, reason: 'It is measured.' }))
await api('PUT', `/profiles/${profile}/rules`, { purpose: 'To be measured.', rules: { ...rules, pins } }, maintainer)
let removals = 0
async function run(place, captured) {
  const choices = { leave: [], off: [], keep: [], without: [], seen: [], noRestart: true, anyway: false, ownersData: '' }
  const { id } = await api('POST', '/runs', { profile, capture: captured, choices, ...place })
  const state = async (want) =>
    until(
      want,
      async () => {
        const { run } = await api('GET', `/runs/${id}`)
        return run.state === want && run
      },
      seldom,
    )
  const { startedAt, endedAt } = await state('finished')
  const { steps } = await api('GET', `/runs/${id}`)
  removals = steps.filter((s) => s.kind === 'remove' && s.state === 'done').length
  await api('POST', `/runs/${id}/put-back`, {})
  await state('put-back')
  return between(startedAt, endedAt)
}
const took = { server: { capture: [], run: [] }, browser: { capture: [], run: [] } }
for (let i = 0; i < 11; i++)
  for (const [kind, place] of Object.entries(places)) {
    const c = await capture(place)
    took[kind].capture.push(c.took)
    if (i < 2) took[kind].run.push(await run(place, c.id))
    else if (i === 2) console.log(`${kind}: ${c.packages} packages`)
  }
for (const what of ['capture', 'run']) {
  const [s, b] = [median(took.server[what]), median(took.browser[what])]
  figure(`browser-${what}`, { value: b / s })
  console.log(`a ${what} through an adb server ${s} ms, through the browser ${b} ms: ${(b / s).toFixed(2)} ×`)
}
console.log(`${removals} removals a run`)
console.log(`the worker has ${(most / 2 ** 20).toFixed(0)} MB at most`)
await browser.close()
ended()
execFileSync('adb', ['-L', `localfilesystem:${folder}/adb`, 'kill-server'], { stdio: 'ignore' })
process.exit(0)
