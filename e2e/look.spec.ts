// Every place in light and dark: axe finds nothing, nothing is logged as an
// error, and it works at the widths that are promised.
import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { as, expect, lyra, test } from './world'

test.use({ of: 'look' })

// The first rows of a long list stand for the others, which are drawn alike.
async function clean(page: Page, what: string) {
  const { violations } = await new AxeBuilder({ page }).exclude('.rows > .row:nth-child(n+16)').exclude('.at:nth-child(n+12)').analyze()
  const found = violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target.join(' ')} (${n.any[0]?.message ?? n.failureSummary})`).join('; ')}`)
  expect(found, what).toEqual([])
}

for (const colorScheme of ['light', 'dark'] as const) {
  test(`axe finds nothing in ${colorScheme}`, async ({ page, world }) => {
    const errors: string[] = []
    page.on('pageerror', (e) => errors.push(e.message))
    page.on('console', (m) => m.type() === 'error' && !m.text().includes('401') && errors.push(m.text()))
    await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' })
    await page.goto(world.url)
    await expect(page.getByText('Sample people')).toBeVisible()
    await clean(page, 'sign-in')
    await as(page, world, 'reviewer')
    await page.goto(`${world.url}/ledger${lyra}`)
    await expect(page.getByTestId('package').first()).toBeVisible()
    expect(await page.getByTestId('package').count()).toBeGreaterThanOrEqual(22)
    await clean(page, 'ledger')
    await page.getByLabel('Filter the rows').fill('nothing fits this')
    await expect(page.getByRole('heading', { name: /Nothing fits/ })).toBeVisible()
    await clean(page, 'empty ledger')
    await page.getByLabel('Filter the rows').fill('load:heavy')
    await expect(page.getByRole('alert')).toContainText('is no load')
    await clean(page, 'ledger, a mistake in the filter')
    await page.goto(`${world.url}/packages/com.brannock.access.suite${lyra}`)
    await expect(page.getByRole('heading', { name: 'Accessibility', level: 1 })).toBeVisible()
    await page.getByRole('button', { name: /Open the/ }).click()
    await clean(page, 'dossier')
    await page.keyboard.press('t')
    await expect(page.getByRole('dialog')).toBeVisible()
    await clean(page, 'trial')
    await page.goto(`${world.url}/packages/com.brannock.vaultkeeper${lyra}`)
    await expect(page.getByText('Nobody has tried it. Take it off')).toBeVisible()
    await clean(page, 'dossier without evidence')
    await page.goto(`${world.url}/review${lyra}`)
    await clean(page, 'queue')
    await page.getByRole('link', { name: /lock pictures/ }).click()
    await expect(page.getByRole('article')).toHaveCount(3)
    await page.keyboard.press('r')
    await clean(page, 'change')
    await page.goto(`${world.url}/profiles${lyra}`)
    await page.getByRole('link', { name: /Quiet phone/ }).click()
    await expect(page.getByRole('slider')).toBeVisible()
    await clean(page, 'profile')
    await page.goto(`${world.url}/bench${lyra}`)
    await expect(page.getByRole('button', { name: /^Capture/ })).toBeEnabled()
    await clean(page, 'bench')
    await page.getByRole('button', { name: /waits for you to accept/ }).click()
    await clean(page, 'bench, a phone that asks')
    await page.getByRole('button', { name: /From files/ }).click()
    await clean(page, 'bench, files')
    await page.locator('#paste').fill('[ro.build.fingerprint]: [b/p/d:9/A/1:user/k]\n[ro.product.manufacturer]: [Brannock]\npackage:com.example.a\n')
    await page.getByRole('button', { name: 'Read the text' }).click()
    await page.getByRole('link', { name: 'What it means' }).click()
    await expect(page.getByRole('region', { name: 'Intake' })).toContainText('com.example.a')
    await clean(page, 'intake')
    await page.goto(`${world.url}/releases`)
    await expect(page.getByRole('link', { name: /Quiet phone/ })).toBeVisible()
    await clean(page, 'releases')
    await page.goto(`${world.url}/r/brannock/lyra-5/quiet-phone`)
    await clean(page, 'public page')
    expect(errors).toEqual([])
  })
}

test('the public page fits a narrow phone', async ({ page, world }) => {
  await page.setViewportSize({ width: 360, height: 700 })
  for (const path of ['/r', '/r/brannock/lyra-5/quiet-phone', '/r/nobody/knows/this']) {
    await page.goto(world.url + path)
    const wide = await page.evaluate(() => document.documentElement.scrollWidth)
    expect(wide, path).toBeLessThanOrEqual(360)
  }
})

test('the workbench works from the keyboard at 1024', async ({ page, world }) => {
  await page.setViewportSize({ width: 1024, height: 768 })
  await as(page, world, 'technician')
  await page.goto(`${world.url}/ledger${lyra}`)
  await expect(page.getByTestId('package').first()).toBeVisible()
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(1024)
  await page.keyboard.press('/')
  await page.keyboard.type('pocket')
  await expect(page.getByTestId('package')).toHaveCount(1)
  await page.keyboard.press('Enter')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { name: 'Pocket' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Build: all 6' })).toBeVisible()
  await page.keyboard.press(']')
  await expect(page.getByRole('button', { name: /^Build: 14.1.0/ })).toBeVisible()
  await page.keyboard.press('[')
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog')).toContainText('add a trial')
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog')).toBeHidden()
  await page.keyboard.press('u')
  await expect(page).toHaveURL(/ledger/)
})
