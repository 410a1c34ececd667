// What happens around the work: long work cancelled, a session that ended
// elsewhere, releases found by anybody.
import { as, expect, lyra, test } from './world'

test.use({ of: 'people' })

test('a capture can be cancelled, and begun again', async ({ page, world }) => {
  const scenario = world.file(
    'slow.yaml',
    `name: slow
serial: slow
prompt: none
faults: [{command: dumpsys package, afterBytes: 100, do: hang, times: 1}]
properties:
  ro.build.fingerprint: brannock/slow/slow:15/BR1A/15.7.7:user/release-keys
  ro.product.manufacturer: Brannock
  ro.product.device: slow
  ro.product.model: Slow
  ro.build.version.release: "15"
  ro.build.version.sdk: "35"
  ro.build.version.incremental: 15.7.7
packages:
  - {name: com.brannock.slow, dir: /product/app, version: "1"}
`,
  )
  const { address } = await world.standIn(scenario)
  await as(page, world, 'technician')
  await page.getByRole('link', { name: /^Bench/ }).click()
  await page.getByLabel('By network address').fill(address)
  await page.getByRole('button', { name: 'Connect' }).click()
  const phone = page.getByRole('button', { name: new RegExp(address) })
  await expect(phone).toContainText('15.7.7')
  await phone.click()
  await page.keyboard.press('c')
  await expect(page.getByRole('progressbar', { name: 'Capture' })).toHaveAttribute('aria-valuenow', '4')
  await expect(page.getByRole('region', { name: 'Phone', exact: true }).getByRole('status')).toContainText('what each package is, 4 of 4')
  await page.getByRole('button', { name: 'Cancel' }).click()
  await expect(page.getByRole('region', { name: 'Phone', exact: true })).toContainText('Stopped by you; nothing was stored.')
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByTestId('stored')).toContainText('A model that is new here, 1 package never seen before')
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByTestId('stored')).toContainText('Exactly this capture was stored before')
})

test('a session that ended elsewhere leads to the sign-in', async ({ page, world }) => {
  await as(page, world, 'technician')
  await page.context().clearCookies()
  await page.reload()
  await expect(page.getByLabel('Login')).toBeVisible()
})

test('releases are found from the workbench and by strangers', async ({ page, world }) => {
  await as(page, world, 'technician', `/releases${lyra}`)
  const link = page.getByRole('link', { name: 'Brannock Lyra 5: Quiet phone' }).first()
  await expect(link).toHaveAttribute('href', '/r/brannock/lyra-5/quiet-phone/4')
  await page.goto(`${world.url}/releases?maker=ilvara&model=slate-10`)
  await expect(page.getByRole('heading', { name: 'Nothing is published here yet' })).toBeVisible()
  await page.context().clearCookies()
  await page.goto(`${world.url}/r`)
  await page.getByRole('link', { name: /Quiet phone/ }).click()
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Brannock Lyra 5: Quiet phone')
  const steps = page.locator('main > ul.go li')
  await expect(steps).toHaveCount(13)
  const tips = steps.filter({ hasText: 'com.brannock.tips' })
  await expect(tips).toContainText('≤ 14 %')
  await expect(tips.getByRole('img', { name: 'Loose' })).toBeVisible()
  // It works with scripts off, as on an old phone.
  const plain = await (await page.context().browser()!.newContext({ javaScriptEnabled: false })).newPage()
  await plain.goto(`${world.url}/r/brannock/lyra-5/quiet-phone`)
  await expect(plain.getByRole('heading', { name: 'What you need' })).toBeVisible()
  await plain.context().close()
})

test('the highest load is a rule of its own', async ({ page, world }) => {
  await as(page, world, 'maintainer', `/profiles${lyra}`)
  await page.getByRole('link', { name: /Quiet phone/ }).click()
  const goes = page.getByTestId('goes')
  await expect(goes).toHaveText('13')
  const line = page.getByRole('slider')
  for (const n of ['14', '15', '16']) {
    await line.press('ArrowDown')
    await expect(goes).toHaveText(n)
  }
  await page.getByRole('button', { name: 'Rules', exact: true }).click()
  await page.getByLabel('The highest load that may go').selectOption('Loose')
  await expect(goes).toHaveText('14')
  // What is pinned goes all the same.
  await expect(page.locator('.lost')).toHaveText('music will be gone.')
  const radio = page.locator('.row', { hasText: 'com.brannock.radio' })
  await expect(radio).toHaveAttribute('title', 'heavier than the rules allow')
})
