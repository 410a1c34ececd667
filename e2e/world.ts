// A world of its own for the tests of one file: the built program with the
// sample data, a real PostgreSQL database, a real adb server and stand-in
// phones. scripts/test says where the program and the database cluster are.
import { test as base, expect, type Page } from '@playwright/test'
import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { copyFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const program = need('ROSTER_PROGRAM')
const cluster = need('ROSTER_TEST_DATABASE_URL')

function need(name: string): string {
  const value = process.env[name]
  if (!value) throw new Error(`${name} is not set; run scripts/test`)
  return value
}

export async function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const s = createServer()
    s.listen(0, '127.0.0.1', () => {
      const address = s.address()
      s.close(() => resolve(typeof address === 'object' && address ? address.port : 0))
    })
  })
}

// Seeded is what a world leaves that was started and stopped: the demo's data,
// to be copied.
export interface Seeded {
  database: string
  secret: string
}

export class World {
  readonly folder = mkdtempSync(join(tmpdir(), 'roster-e2e-'))
  private running: ChildProcess[] = []
  url = ''
  name = ''
  database = ''
  adbPort = 0
  private adbPorts: number[] = []
  phone = ''
  // The demo's other stand-ins: one that asks, one that is unplugged, and a
  // television.
  others: string[] = []

  // seeded is a world that was started before: its database and its secret.
  async start(seeded?: Seeded) {
    this.name = `e2e_${process.pid}_${Date.now()}`
    execFileSync('psql', [cluster, '-qc', `create database ${this.name}` + (seeded ? ` template ${seeded.database}` : '')])
    if (seeded) copyFileSync(seeded.secret, join(this.folder, 'secret'))
    const address = new URL(cluster)
    address.pathname = `/${this.name}`
    this.database = address.href
    const port = await freePort()
    this.adbPort = await freePort()
    // The demo takes this port and the three after it: below those that the
    // system hands out by itself, so that nothing else comes between.
    const first = 20_000 + (process.pid % 1200) * 8
    this.phone = `127.0.0.1:${first}`
    this.others = [1, 2, 3].map((i) => `127.0.0.1:${first + i}`)
    this.url = `http://127.0.0.1:${port}`
    this.run(['demo', '--phone', this.phone], {
      ROSTER_DATABASE_URL: address.href,
      ROSTER_LISTEN: `127.0.0.1:${port}`,
      ROSTER_ADB: `127.0.0.1:${this.adbPort}`,
      ROSTER_SECRET_FILE: join(this.folder, 'secret'),
      ROSTER_BACKUPS: join(this.folder, 'backups'),
    })
    for (let i = 0; i < 1200; i++) {
      if (
        await fetch(`${this.url}/readyz`).then(
          (r) => r.ok,
          () => false,
        )
      )
        return
      await new Promise((r) => setTimeout(r, 100))
    }
    throw new Error('the server did not come up')
  }

  private run(args: string[], env: Record<string, string>) {
    const child = spawn(program, args, {
      env: { ...process.env, ...env },
      stdio: ['pipe', 'ignore', 'inherit'],
    })
    this.running.push(child)
    return child
  }

  // standIn runs one more phone, from a scenario of its own, and returns its
  // address and what takes the place of a hand.
  async standIn(scenario: string) {
    const address = `127.0.0.1:${await freePort()}`
    const control = `127.0.0.1:${await freePort()}`
    this.run(['phone', '--listen', address, '--hand', control, '--scenario', scenario], {})
    for (let i = 0; i < 100; i++) {
      if (
        await fetch(`http://${control}/`).then(
          (r) => r.ok,
          () => false,
        )
      )
        break
      await new Promise((r) => setTimeout(r, 50))
    }
    return {
      address,
      control,
      hand: (word: string) => this.roster('phone', 'do', word, '--hand', control),
    }
  }

  // bench runs a bench elsewhere, with an adb server and phones of its own.
  async bench(token: string, ...phones: { address: string; control: string }[]) {
    const port = await freePort()
    this.adbPorts.push(port)
    const hands = phones.flatMap((p) => ['--stand-in', `${p.address}=${p.control}`])
    return this.run(['bench', '--server', this.url, '--token', token, '--adb', `127.0.0.1:${port}`, ...hands], {
      ROSTER_BACKUPS: join(this.folder, 'backups'),
      ROSTER_JOURNALS: join(this.folder, 'journals'),
    })
  }

  // roster runs the program to its end and returns what it printed.
  roster(...args: string[]): string {
    return execFileSync(program, args, {
      encoding: 'utf8',
      env: { ...process.env, ROSTER_ADB: `127.0.0.1:${this.adbPort}` },
      stdio: ['ignore', 'pipe', 'ignore'],
    })
  }

  // adb runs the real adb program on the phone of the demo.
  adb(...args: string[]): string {
    return execFileSync('adb', ['-P', String(this.adbPort), '-s', this.phone, ...args], { encoding: 'utf8' }).trim()
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

  // end ends all that runs, and returns when it has.
  async end() {
    const ended = this.running.filter((c) => c.exitCode === null && c.signalCode === null).map((c) => once(c, 'exit'))
    for (const child of this.running) child.kill('SIGTERM')
    const late = setTimeout(() => this.running.forEach((child) => child.kill('SIGKILL')), 15_000)
    await Promise.all(ended)
    clearTimeout(late)
    for (const port of [this.adbPort, ...this.adbPorts]) {
      try {
        execFileSync('adb', ['-P', String(port), 'kill-server'], { stdio: 'ignore' })
      } catch {
        // it never started
      }
    }
  }

  remove() {
    rmSync(this.folder, { recursive: true, force: true })
  }
}

// Each file names itself with test.use({ of: … }) and so gets a world of its
// own: what one file's tests leave behind is nothing to another's.
export const test = base.extend<object, { of: string; world: World }>({
  of: ['', { option: true, scope: 'worker' }],
  world: [
    async ({ of }, use) => {
      if (!of) throw new Error('a file of tests must name itself: test.use({ of: … })')
      const world = new World()
      await world.start(JSON.parse(process.env.E2E_SEEDED ?? 'null') ?? undefined)
      await use(world)
      await world.end()
      world.remove()
    },
    { scope: 'worker', timeout: 180_000 },
  ],
})

// as opens a page in which somebody has signed in through the form.
export async function as(page: Page, world: World, login: string) {
  await page.context().clearCookies()
  await page.goto(world.url)
  await page.getByLabel('Login').fill(login)
  await page.getByLabel('Password').fill('lend-a-phone')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
}

// api asks the server as whoever is signed in.
export async function api(page: Page, world: World, method: string, path: string, data?: unknown, headers = {}) {
  const answer = await page.request.fetch(`${world.url}/api/v1${path}`, { method, data, headers })
  expect(answer.ok(), `${method} ${path}: ${await answer.text()}`).toBe(true)
  return answer
}

// hand does to the phone on the desk what a hand would.
export async function hand(page: Page, world: World, action: string, more?: string) {
  const { items } = (await (await api(page, world, 'GET', '/benches')).json()) as { items: { id: string }[] }
  await api(page, world, 'POST', `/benches/${items[0]!.id}/requests`, { kind: 'hand', address: world.phone, action, with: more })
}

export const lyra = '?maker=brannock&model=lyra-5'
export { expect }
