// A world of its own for the tests of one file: the built program with the
// sample data, a real PostgreSQL database, a real adb server and stand-in
// phones. scripts/test says where the program and the database cluster are.
import { test as base, expect, type Locator, type Page } from '@playwright/test'
import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { once } from 'node:events'
import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Provider } from './provider'

const program = need('ROSTER_PROGRAM')
const cluster = need('ROSTER_TEST_DATABASE_URL')

function need(name: string): string {
  const value = process.env[name]
  if (!value) throw new Error(`${name} is not set; run scripts/test`)
  return value
}

// Seeded is what a world leaves that was started and stopped: the demo's data,
// to be copied.
export interface Seeded {
  database: string
  secret: string
}

// patience is how long something may take to come up: this machine may be slow.
const patience = 180_000

async function until<T>(what: string, found: () => T | undefined | Promise<T | undefined>): Promise<T> {
  for (const end = Date.now() + patience; Date.now() < end;) {
    const value = await found()
    if (value !== undefined) return value
    await new Promise((r) => setTimeout(r, 25))
  }
  throw new Error(`never: ${what}`)
}

// StandIn is a simulated phone: where adb reaches it, and its hand.
export interface StandIn {
  address: string
  control: string
}

// Kind is where the phone of the tests hangs: on the server's bench, or on the
// browser that the tests use.
export type Kind = 'server' | 'browser'
export interface Kinds {
  kind: Kind
}

export class World {
  readonly folder = mkdtempSync(join(tmpdir(), 'roster-e2e-'))
  private running: ChildProcess[] = []
  url = ''
  name = ''
  database = ''
  // The adb server's address, as ADB_SERVER_SOCKET has it.
  readonly adbServer = `localfilesystem:${join(this.folder, 'adb')}`
  // The phone of the tests, as the Bench calls it, its serial number, and where
  // adb reaches it.
  phone = ''
  serial = ''
  private address = ''
  private control = ''
  private looked = '' // the adb server that only looks
  // The demo's other stand-ins: one that asks, one that is unplugged, and a
  // television.
  others: string[] = []

  constructor(readonly kind: Kind = 'server') {}

  // seeded is a world that was started before: its database and its secret. With
  // a provider people sign in by that, too.
  async start(seeded?: Seeded, provider?: Provider, host = '127.0.0.1') {
    this.name = `e2e_${randomUUID().replaceAll('-', '')}`
    execFileSync('psql', [cluster, '-qc', `create database ${this.name}` + (seeded ? ` template ${seeded.database}` : '')])
    if (seeded) copyFileSync(seeded.secret, join(this.folder, 'secret'))
    const address = new URL(cluster)
    address.pathname = `/${this.name}`
    this.database = address.href
    const file = join(this.folder, 'ready')
    const server = this.run(['demo', '--phone', '127.0.0.1:0'], {
      ROSTER_DATABASE_URL: address.href,
      ROSTER_LISTEN: `${host}:0`,
      ROSTER_READY_FILE: file,
      ROSTER_ADB: this.adbServer,
      ROSTER_SECRET_FILE: join(this.folder, 'secret'),
      ROSTER_BACKUPS: join(this.folder, 'backups'),
      ...(provider && {
        ROSTER_OIDC_ISSUER: provider.issuer,
        ROSTER_OIDC_CLIENT_ID: 'roster',
        ROSTER_OIDC_NAME: 'the agency',
        ROSTER_WEBHOOK_NETWORKS: '127.0.0.0/8',
      }),
    })
    const ready: { url: string; standIns: StandIn[]; loose: StandIn[] } = await until('the server listens', () => {
      if (server.exitCode !== null) throw new Error(`the server ended with ${server.exitCode}`)
      return existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined
    })
    this.url = ready.url
    const own = this.kind === 'browser'
    this.address = (own ? ready.loose : ready.standIns)[0]!.address
    this.control = (own ? ready.loose : ready.standIns)[0]!.control
    this.phone = own ? 'stand-in:1' : this.address
    this.serial = own ? 'BRNLY5B0932' : 'BRNLY5A0417'
    this.others = ready.standIns.slice(1).map((s) => s.address)
    await until('the server is ready', async () => ((await fetch(`${this.url}/readyz`)).ok ? true : undefined))
  }

  // empty is an installation as setup makes it, with nothing in it, and the link
  // for its first keeper.
  async empty(): Promise<{ url: string; link: string }> {
    const address = new URL(cluster)
    address.pathname = `/e2e_${randomUUID().replaceAll('-', '')}`
    const file = join(this.folder, 'ready')
    const env = { ROSTER_DATABASE_URL: address.href, ROSTER_SECRET_FILE: join(this.folder, 'secret'), ROSTER_BACKUPS: join(this.folder, 'backups') }
    const said = execFileSync(program, ['setup', '--administrator', cluster], { env: { ...process.env, ...env }, encoding: 'utf8' })
    this.run(['serve', '--listen', '127.0.0.1:0', '--ready-file', file, '--adb', ''], env)
    this.url = await until('the server listens', () =>
      existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as { url: string }).url : undefined,
    )
    await until('the server is ready', async () => ((await fetch(`${this.url}/readyz`)).ok ? true : undefined))
    return { url: this.url, link: `${this.url}/join#${/join#(\S+)/.exec(said)![1]}` }
  }

  // sql changes the world's records behind its back.
  sql(statement: string) {
    execFileSync('psql', [this.database, '-qc', statement])
  }

  private run(args: string[], env: Record<string, string>, stdout: 'ignore' | 'pipe' = 'ignore') {
    const child = spawn(program, args, {
      env: { ...process.env, ...env },
      stdio: ['pipe', stdout, 'inherit'],
    })
    this.running.push(child)
    return child
  }

  // standIn runs one more phone, from a scenario of its own, and returns its
  // address and what takes the place of a hand.
  async standIn(scenario: string) {
    const child = this.run(['phone', '--listen', '127.0.0.1:0', '--hand', '127.0.0.1:0', '--scenario', scenario], {}, 'pipe')
    let said = ''
    child.stdout!.on('data', (piece) => (said += piece))
    const where = await until('the stand-in says where it listens', () => /listens on (\S+), its hand on (\S+);/.exec(said) ?? undefined)
    const [address, control] = [where[1]!, where[2]!]
    return {
      address,
      control,
      hand: (word: string) => this.roster('phone', 'do', word, '--hand', control),
      // The phone asks a moment after adb has said that it would.
      accept: () => expect(() => this.roster('phone', 'do', 'accept', '--hand', control)).toPass({ timeout: patience }),
    }
  }

  // bench runs a bench elsewhere, with an adb server and phones of its own.
  async bench(token: string, ...phones: StandIn[]) {
    const hands = phones.flatMap((p) => ['--stand-in', `${p.address}=${p.control}`])
    const adb = `${this.adbServer}-${this.running.length}`
    return this.run(['bench', '--server', this.url, '--token', token, '--adb', adb, ...hands], {
      ROSTER_BACKUPS: join(this.folder, 'backups'),
      ROSTER_JOURNALS: join(this.folder, 'journals'),
    })
  }

  // roster runs the program to its end and returns what it printed.
  roster(...args: string[]): string {
    return execFileSync(program, args, {
      encoding: 'utf8',
      env: { ...process.env, ROSTER_ADB: this.adbServer },
      stdio: ['ignore', 'pipe', 'ignore'],
    })
  }

  // adb runs the real adb program on the phone of the tests. One that hangs on a
  // browser is looked at by an adb server of its own, which has to be accepted.
  adb(...args: string[]): string {
    const server = this.kind === 'browser' ? `${this.adbServer}-look` : this.adbServer
    const adb = (...list: string[]) => execFileSync('adb', ['-L', server, ...list], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] }).trim()
    if (this.kind === 'browser') {
      this.looked = server
      for (let i = 0; i < 100 && !adb('devices').includes(`${this.address}\tdevice`); i++) {
        adb('connect', this.address)
        try {
          this.roster('phone', 'do', 'accept', '--hand', this.control)
        } catch {
          // it does not ask, or not yet
        }
      }
    }
    return adb('-s', this.address, ...args)
  }

  installed(): string[] {
    return this.adb('shell', 'pm list packages --user 0')
      .split(/\r?\n/)
      .map((l) => l.replace('package:', ''))
      .sort()
  }

  file(name: string, content: string | Buffer): string {
    const path = join(this.folder, name)
    writeFileSync(path, content)
    return path
  }

  // end ends all that runs, and returns when it has. Each ends what it has
  // started itself.
  async end() {
    const ended = this.running.filter((c) => c.exitCode === null && c.signalCode === null).map((c) => once(c, 'exit'))
    for (const child of this.running) child.kill('SIGTERM')
    const late = setTimeout(() => this.running.forEach((child) => child.kill('SIGKILL')), 60_000)
    await Promise.all(ended)
    clearTimeout(late)
    if (this.looked) execFileSync('adb', ['-L', this.looked, 'kill-server'], { stdio: 'ignore' })
  }

  remove() {
    rmSync(this.folder, { recursive: true, force: true })
  }
}

// Each file names itself with test.use({ of: … }) and so gets a world of its
// own: what one file's tests leave behind is nothing to another's.
export const test = base.extend<object, Kinds & { of: string; host: string; provider: boolean; world: World }>({
  of: ['', { option: true, scope: 'worker' }],
  kind: ['server', { option: true, scope: 'worker' }],
  host: ['127.0.0.1', { option: true, scope: 'worker' }],
  provider: [false, { option: true, scope: 'worker' }],
  // A tab that is closed tells so; one whose browser is ended does not.
  // Runs are measured where a test asks for that: it takes two restarts.
  page: async ({ page, kind }, use) => {
    await page.addInitScript(() => localStorage.getItem('roster-measure-runs') ?? localStorage.setItem('roster-measure-runs', 'false'))
    await use(page)
    if (kind === 'browser' && !page.isClosed()) await page.goto('about:blank')
  },
  world: [
    async ({ of, kind, host, provider }, use) => {
      if (!of) throw new Error('a file of tests must name itself: test.use({ of: … })')
      const vouching = provider ? new Provider() : undefined
      await vouching?.start()
      const world = new World(kind)
      await world.start(JSON.parse(process.env.E2E_SEEDED ?? 'null') ?? undefined, vouching, host)
      await use(world)
      vouching?.end()
      await world.end()
      world.remove()
    },
    { scope: 'worker', timeout: 180_000 },
  ],
})

// as signs somebody in and opens a place.
export async function as(page: Page, world: World, login: string, path = '/') {
  await page.context().clearCookies()
  const answer = await page.request.post(`${world.url}/api/v1/session`, { data: { login, password } })
  expect(answer.ok(), await answer.text()).toBe(true)
  await page.goto(world.url + path)
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
}

// signIn does the same through the form, as a person does.
export async function signIn(page: Page, world: World, login: string) {
  await page.context().clearCookies()
  await page.goto(world.url)
  await page.getByLabel('Login').fill(login)
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
}

// api asks the server as whoever is signed in.
export async function api(page: Page, world: World, method: string, path: string, data?: unknown, headers = {}) {
  const answer = await page.request.fetch(`${world.url}/api/v1${path}`, { method, data, headers })
  expect(answer.ok(), `${method} ${path}: ${await answer.text()}`).toBe(true)
  return answer
}

// phoneLine is the phone of the tests in the list of the Bench.
export const phoneLine = (page: Page, world: World) =>
  (world.kind === 'browser' ? page.getByRole('group', { name: 'This browser' }) : page).getByRole('button', { name: new RegExp(world.phone) })

// attach has the phone of the tests on a bench: one that hangs on the browser is
// attached in its page, and stays attached for as long as that page is the
// Bench's.
export async function attach(page: Page, world: World) {
  if (world.kind !== 'browser') return
  await page.goto(`${world.url}/bench`)
  const attach = page.getByRole('button', { name: 'Attach a stand-in' })
  const phone = phoneLine(page, world)
  await expect(attach.or(phone)).toBeVisible()
  if (await attach.isVisible()) await attach.click()
  await expect(phone).toContainText(/waits for you|Android/)
  // The phone asks a moment after the browser has said that it would.
  if (await phone.getByText('waits for you').isVisible()) await expect(() => hand(page, world, 'accept')).toPass({ timeout: patience })
  await expect(phone).toContainText('Android')
  // That of a test before is over, or will be: its page was closed.
  await expect
    .poll(async () => {
      const { items } = (await (await api(page, world, 'GET', '/benches')).json()) as { items: { view: { phones: { address: string }[] } }[] }
      return items.filter((b) => b.view.phones.some((p) => p.address === world.phone)).length
    })
    .toBe(1)
}

// hand does to the phone of the tests what a hand would.
export async function hand(page: Page, world: World, action: string, more?: string) {
  if (world.kind === 'browser') {
    await api(page, world, 'POST', '/stand-ins/1/hand', { action, with: more })
    return
  }
  const { items } = (await (await api(page, world, 'GET', '/benches')).json()) as { items: { id: string }[] }
  await api(page, world, 'POST', `/benches/${items[0]!.id}/requests`, { kind: 'hand', address: world.phone, action, with: more })
}

const password = 'lend-a-phone'
// choose picks one of what a field of a dialog offers.
export async function choose(dialog: Locator, label: string, option: string) {
  await dialog.getByRole('combobox', { name: label }).press('ArrowDown')
  await dialog.page().getByRole('option', { name: option, exact: true }).click()
}

export const lyra = '?maker=brannock&model=lyra-5'
export { expect }
