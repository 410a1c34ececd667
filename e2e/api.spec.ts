// The examples of docs/api, as they stand.
import { execFileSync } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { loose } from '../docs/api/examples/ledger.mjs'
import { as, expect, test } from './world'

test.use({ of: 'people' })

const folder = join(import.meta.dirname, '../docs/api/examples')

test('the examples of the API run', async ({ page, world }) => {
  await as(page, world, 'technician')
  const made = await page.request.post(`${world.url}/api/v1/tokens`, {
    data: { name: 'the examples', scopes: ['read', 'send'], days: 1 },
    headers: { origin: world.url },
  })
  const { secret } = (await made.json()) as { secret: string }
  const run = (name: string, more: Record<string, string> = {}) =>
    execFileSync(join(folder, name), { env: { ...process.env, ROSTER: world.url, ROSTER_TOKEN: secret, ...more }, encoding: 'utf8' }).trim()

  const ledger = run('ledger.sh').split('\n')
  expect(ledger.length).toBeGreaterThan(3)
  expect(ledger[0]).toMatch(/^\S+\t\S+\tat most \d+ %$/)
  expect(await loose(world.url, secret)).toEqual(ledger)
  const inGo = (token: string) =>
    execFileSync('go', ['run', '.'], { cwd: join(folder, 'go'), env: { ...process.env, ROSTER: world.url, ROSTER_TOKEN: token }, encoding: 'utf8' })
  expect(inGo(secret).trim().split('\n')).toEqual(ledger)
  expect(() => inGo('wrong')).toThrow(/^401: /m)
  await expect(loose(world.url, 'wrong')).rejects.toThrow(/^401: /)

  expect(run('follow.sh', { SECONDS_LONG: '2' })).toContain('"topic":"everything"')
  const change = run('send.sh', { KEY: `example ${Date.now()}` })
  const key = `again ${Date.now()}`
  expect(run('send.sh', { KEY: key })).toBe(run('send.sh', { KEY: key }))
  await page.goto(`${world.url}/review/${change}`)
  await expect(page.getByRole('heading', { name: 'What our inventory knows of the clock' })).toBeVisible()

  expect(run('release.sh')).toMatch(/^\S+\t(disable|remove-for-user|quieten)$/m)

  // All of them were run, and the page says what each is.
  const listed = readFileSync(join(folder, '../README.md'), 'utf8')
  for (const name of readdirSync(folder)) expect(listed).toContain(`(examples/${name})`)
})
