// Ways in: a provider of the organisation's, and a keeper's link for who forgot
// their password.
import { clean } from './axe'
import { api, as, expect, signIn, test } from './world'

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
