// Ways in: a provider of the organisation's, and a keeper's link for who forgot
// their password. And a way out: receivers that are told of releases.
import { clean } from './axe'
import { api, as, expect, signIn, test } from './world'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'

test.use({ of: 'signin', provider: true })
test.describe.configure({ mode: 'serial' })

test('a keeper says which groups have which role; their people sign in by the provider', async ({ page, world }) => {
  await page.goto(`${world.url}/ledger`)
  await page.getByRole('link', { name: 'Sign in with the agency' }).click()
  await expect(page.getByRole('alert')).toHaveText(/none of your groups has a role here/)
  await clean(page, 'signing in')

  await signIn(page, world, 'keeper')
  await page.goto(`${world.url}/rules`)
  const rules = page.getByRole('region', { name: 'Rules of the installation' })
  await rules.getByLabel('Roles of groups').fill('maintainer lists\nbaron phone desk')
  await rules.getByRole('button', { name: 'Let it hold' }).click()
  await expect(rules.getByRole('alert')).toBeVisible()
  await rules.getByLabel('Roles of groups').fill('maintainer lists\ntechnician phone desk')
  await rules.getByRole('button', { name: 'Let it hold' }).click()
  await expect(rules.getByRole('status')).toHaveText('It holds from now on.')

  await page.context().clearCookies()
  await page.goto(`${world.url}/ledger?maker=brannock&model=lyra-5`)
  await page.getByRole('link', { name: 'Sign in with the agency' }).click()
  await expect(page.getByRole('grid', { name: 'Packages' })).toBeVisible()
  expect(page.url()).toBe(`${world.url}/ledger?maker=brannock&model=lyra-5`)
  const { person } = (await (await api(page, world, 'GET', '/session')).json()) as { person: object }
  expect(person).toMatchObject({ login: 'tove', name: 'Tove S.', role: 'technician' })
})

test('somebody forgot their password', async ({ page, world, browser }) => {
  await as(page, world, 'keeper', '/people')
  await page.getByRole('link', { name: 'Bolaji Wren' }).click()
  const forgotten = page.getByRole('region', { name: 'Ways in' })
  await forgotten.getByRole('button', { name: 'Make a link' }).click()
  const link = /https?:\S+/.exec(await forgotten.locator('.mono').innerText())![0]
  await clean(page, 'signing in')

  const other = await browser.newPage()
  await other.goto(link)
  await expect(other.getByRole('heading', { name: 'A new password' })).toBeVisible()
  await clean(other, 'a new password')
  await other.getByLabel(/^Password/).fill('a quite different one')
  await other.getByRole('button', { name: 'Set it and sign in' }).click()
  await expect(other.getByRole('navigation', { name: 'Places' })).toBeVisible()
  await other.goto(link)
  await expect(other.getByRole('heading', { name: 'No such link' })).toBeVisible()
  await other.close()
})

test('without passwords, the provider alone lets in', async ({ page, world }) => {
  await as(page, world, 'keeper', '/rules')
  const rules = page.getByRole('region', { name: 'Rules of the installation' })
  await rules.getByLabel(/may sign in with a password/).uncheck()
  await rules.getByRole('button', { name: 'Let it hold' }).click()
  await expect(rules.getByRole('status')).toBeVisible()
  await page.context().clearCookies()
  await page.goto(world.url)
  await expect(page.getByRole('link', { name: 'Sign in with the agency' })).toBeVisible()
  await expect(page.getByLabel('Password')).toHaveCount(0)
  await clean(page, 'signing in')
})

test('a receiver elsewhere is told, and its log says what it said', async ({ page, world }) => {
  const heard: string[] = []
  const receiver = createServer((asked, answer) => {
    heard.push(String(asked.headers['webhook-signature']))
    answer.end('thank you')
  }).listen(0, '127.0.0.1')
  await once(receiver, 'listening')
  world.sql(`update settings set value = value || '{"noPasswords": false}' where key = 'installation rules'`)
  await as(page, world, 'keeper', '/installation')
  const receivers = page.getByRole('region', { name: 'Receivers' })
  const address = receivers.getByLabel('Address of a receiver')
  await address.fill('https://10.0.0.1/')
  await receivers.getByRole('button', { name: 'Add a receiver' }).click()
  await expect(receivers.getByRole('alert')).toContainText('no public address')
  const url = `http://127.0.0.1:${(receiver.address() as AddressInfo).port}/roster`
  await address.fill(url)
  await receivers.getByRole('button', { name: 'Add a receiver' }).click()
  await expect(receivers.getByText(/^whsec_/)).toBeVisible()
  await receivers.getByRole('button', { name: `Try ${url}` }).click()
  await expect(receivers.getByRole('row', { name: /test/ })).toContainText('200 OK thank you')
  expect(heard[0]).toMatch(/^v1,/)
  await clean(page, 'receivers')
  await receivers.getByRole('button', { name: `End ${url}` }).click()
  await expect(receivers.getByText(url)).toHaveCount(0)
  receiver.close()
})
