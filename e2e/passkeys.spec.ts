// Passkeys, with a device that Chromium pretends: asked for when signing in, for
// publishing and for keys, and taken away by a keeper.
import { clean } from './axe'
import { as, expect, test } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'passkeys', host: 'localhost' })
test.describe.configure({ mode: 'serial' })

// device plugs in a pretended device; approve says whether its owner agrees.
async function device(page: Page) {
  const cdp = await page.context().newCDPSession(page)
  await cdp.send('WebAuthn.enable')
  const { authenticatorId } = await cdp.send('WebAuthn.addVirtualAuthenticator', {
    options: { protocol: 'ctap2', transport: 'usb', hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
  })
  return {
    approve: (enabled: boolean) => cdp.send('WebAuthn.setUserVerified', { authenticatorId, isUserVerified: enabled }),
    out: () => cdp.send('WebAuthn.removeVirtualAuthenticator', { authenticatorId }),
    credentials: async () => (await cdp.send('WebAuthn.getCredentials', { authenticatorId })).credentials,
  }
}

async function password(page: Page, url: string, login: string) {
  await page.context().clearCookies()
  await page.goto(url)
  await page.getByLabel('Login').fill(login)
  await page.getByLabel('Password').fill('lend-a-phone')
  await page.getByRole('button', { name: 'Sign in' }).click()
}
const places = (page: Page) => page.getByRole('navigation', { name: 'Places' })

test('a keeper has maintainers and keepers need a passkey, and makes the first', async ({ page, world }) => {
  const key = await device(page)
  await as(page, world, 'keeper', '/rules')
  const rules = page.getByRole('region', { name: 'Rules of the installation' })
  const roles = rules.getByRole('group', { name: 'Roles that need a passkey' })
  await roles.getByLabel('maintainer').check()
  await roles.getByLabel('keeper').check()
  await rules.getByRole('button', { name: 'Let it hold' }).click()
  await expect(rules.getByRole('status')).toHaveText('It holds from now on.')

  await password(page, world.url, 'keeper')
  await expect(page.getByRole('heading', { name: 'Your role needs a passkey' })).toBeVisible()
  await expect(places(page)).toHaveCount(0)
  await clean(page, 'a passkey is wanted')
  await page.getByRole('button', { name: 'Make a passkey' }).click()
  await expect(places(page)).toBeVisible()
  expect(await key.credentials()).toHaveLength(1)

  // The next time it is asked for, and without the device nobody is in.
  await password(page, world.url, 'keeper')
  await page.getByRole('button', { name: 'Show it' }).click()
  await expect(places(page)).toBeVisible()

  // The keys of releases want it again, once it was some time ago.
  world.sql(`update sessions set confirmed_at = now() - interval '1 hour'`)
  await page.goto(`${world.url}/releases`)
  await page.getByRole('button', { name: 'Make a new key' }).click()
  await page.getByLabel(/^Why/).fill('The laptop was stolen.')
  await page.getByRole('button', { name: 'Retire the old, make a new one' }).click()
  await expect(page.getByText('The laptop was stolen.', { exact: false }).last()).toBeVisible()

  await key.out()
  const other = await device(page) // another device, without the key
  await password(page, world.url, 'keeper')
  await page.getByRole('button', { name: 'Show it' }).click()
  await expect(page.getByRole('alert')).toBeVisible()
  await expect(places(page)).toHaveCount(0)
  await other.out()
})

test('somebody adds passkeys, and takes one away', async ({ page, world }) => {
  await device(page)
  await as(page, world, 'technician')
  await page.getByRole('button', { name: /^You:/ }).click()
  await page.getByRole('link', { name: 'Your record and tokens' }).click()
  const passkeys = page.getByRole('region', { name: 'Passkeys' })
  await passkeys.getByLabel('Name of the passkey').fill('my laptop')
  await passkeys.getByRole('button', { name: 'Add a passkey' }).click()
  await expect(passkeys.getByText('my laptop')).toBeVisible()
  await clean(page, 'passkeys')
  await passkeys.getByRole('button', { name: 'Add a passkey' }).click()
  await expect(passkeys.getByRole('alert')).toHaveText('This device has a passkey of yours already.')
  await passkeys.getByRole('button', { name: 'Take my laptop away' }).click()
  await expect(passkeys.getByText('my laptop')).toHaveCount(0)
})
