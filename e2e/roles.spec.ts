// A day in each role, through the screen alone and mostly by keys, with what goes
// wrong on the way: nothing that somebody did is lost, and it takes few keys.
import { clean } from './axe'
import { as, expect, lyra, test, type World } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'roles' })
test.describe.configure({ mode: 'serial' })

const tray = (page: Page) => page.getByRole('contentinfo', { name: 'Tray' })
const grid = (page: Page) => page.getByRole('grid', { name: 'Packages' })
const title = 'Ten that nobody would miss'

// hands counts the keys that somebody presses.
function hands(page: Page) {
  let keys = 0
  return {
    press: async (key: string) => {
      keys++
      await page.keyboard.press(key)
    },
    type: async (text: string) => {
      keys += text.length
      await page.keyboard.type(text)
    },
    count: () => keys,
  }
}

async function gone(page: Page, world: World) {
  await page.context().setOffline(true)
  await page.context().setOffline(false)
  await page.goto(`${world.url}/desk`)
  await page.goBack()
  // The page that comes back takes the place of another: only then is it there.
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
}

test('a technician searches, tries, grades ten packages in forty keys and sends', async ({ page, world }) => {
  await as(page, world, 'technician', '/desk')
  await expect(page.getByRole('region', { name: 'First steps' })).toBeVisible()
  await clean(page, 'desk, with first steps')
  await page.goto(`${world.url}/ledger${lyra}`)
  await expect(page.getByTestId('package').first()).toBeVisible()
  const search = hands(page)
  await search.press('/')
  await search.type('tips')
  await search.press('Enter')
  await expect(grid(page)).toBeFocused()
  await search.press('Enter')
  const dossier = page.getByRole('region', { name: 'Dossier' })
  await expect(dossier.getByRole('heading', { name: 'Tips', level: 1 })).toBeVisible()
  expect(search.count()).toBeLessThanOrEqual(8)
  // Two trials of two phones.
  for (const phone of [undefined, 'The blue one']) {
    await page.keyboard.press('t')
    const trial = page.getByRole('dialog', { name: /^What happened/ })
    await expect(trial).toBeVisible()
    if (phone) {
      await expect(trial).toContainText('Say on which phone.')
      await trial.locator('.v-select', { hasText: 'Phone' }).last().click()
      await page.getByRole('option', { name: /another phone/ }).click()
      await trial.getByLabel(/What you call that phone/).fill(phone)
    }
    await trial.getByRole('radio', { name: /clean/ }).check({ force: true })
    await trial.getByRole('button', { name: 'Into the tray' }).click()
    await expect(trial).toBeHidden()
  }
  await expect(tray(page)).toContainText('2 edits not sent')
  // Back to the very place, and ten loads at once.
  await page.goBack()
  await expect(page.getByLabel('Filter the rows')).toHaveValue('tips')
  await page.keyboard.press('/')
  await page.keyboard.press('Escape')
  await expect(page.getByText('167 of 167')).toBeVisible()
  await grid(page).focus()
  const grading = hands(page)
  for (let i = 0; i < 10; i++) await grading.press('x')
  await expect(page.getByText('10 packages').first()).toBeVisible()
  await gone(page, world)
  await expect(page.getByText('10 packages').first()).toBeVisible()
  await grid(page).focus()
  await grading.press('1')
  const load = page.getByRole('dialog', { name: /^Load of/ })
  await expect(load.getByLabel('Why')).toBeFocused()
  await grading.type('nobody missed them')
  await expect(load).toContainText(/Something is known against it for|Nothing is known against it/)
  await clean(page, 'a load of ten, with what is known against it')
  await grading.press('Control+Enter')
  await expect(load).toBeHidden()
  await expect(tray(page)).toContainText('12 edits not sent')
  expect(grading.count()).toBeLessThanOrEqual(40)
  await tray(page).getByRole('button', { name: 'Look and send' }).click()
  await expect(tray(page).getByLabel('What this is about')).toBeFocused()
  await clean(page, 'the tray, with a title')
  await page.keyboard.type(title)
  await page.keyboard.press('Enter')
  await expect(tray(page)).toContainText('Sent.')
})

test('a reviewer decides by keys, is interrupted, and finishes', async ({ page, world }) => {
  await as(page, world, 'reviewer', `/review${lyra}`)
  await page.getByRole('link', { name: new RegExp(title) }).click()
  const edits = page.getByRole('article')
  await expect(edits).toHaveCount(12)
  const keys = hands(page)
  await keys.press('a')
  await keys.press('a')
  await expect(edits.nth(2)).toHaveAttribute('aria-current', 'true')
  await keys.press('s')
  await keys.press('r')
  await expect(page.getByLabel(/What is missing/).first()).toBeFocused()
  await keys.type('From which phones?')
  await keys.press('Escape')
  await expect(page.getByText('2 to accept, 10 to return')).toBeVisible()
  await expect(page.getByText('not kept yet')).toHaveCount(0)
  await gone(page, world)
  await page.reload()
  await expect(page.getByText('2 to accept, 10 to return')).toBeVisible()
  expect(keys.count()).toBeLessThanOrEqual(30)
  await page.keyboard.press('f')
  await expect(edits.nth(0)).toContainText('accepted by Anselm Okoro')
  await expect(edits.nth(11)).toContainText('returned by Anselm Okoro')
})

test('a maintainer moves a line, asks, another signs, and everybody reads it on a phone', async ({ page, browser, world }) => {
  await as(page, world, 'maintainer', `/profiles${lyra}`)
  await page.getByRole('link', { name: /Short loan/ }).click()
  const goes = page.getByTestId('goes')
  await expect(goes).toHaveText(/^\d+$/)
  const before = Number(await goes.textContent())
  await page.keyboard.press('Shift+ArrowDown')
  await expect(goes).toHaveText(String(before + 1))
  await expect(page.getByText('not kept').first()).toBeVisible()
  await page.reload()
  await expect(goes).toHaveText(String(before + 1))
  await page.getByRole('button', { name: /ask to publish/i }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByRole('region', { name: 'What differs' })).toBeVisible()
  await dialog.getByRole('button', { name: 'Ask for it' }).click()
  await expect(page.getByRole('region', { name: 'Waiting to be published' })).toBeVisible()
  const keeper = await (await browser.newContext()).newPage()
  await as(keeper, world, 'keeper')
  await keeper.goto(page.url())
  await keeper.getByRole('button', { name: /^Sign and publish/ }).click()
  const address = keeper.getByRole('status').getByRole('link')
  const path = (await address.getAttribute('href'))!
  await keeper.setViewportSize({ width: 360, height: 740 })
  await keeper.goto(world.url + path)
  await expect(keeper.getByRole('heading', { level: 1 })).toContainText('Lyra 5')
  expect(await keeper.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360)
  await clean(keeper, 'the release at 360 px')
  await keeper.context().close()
  await expect(page.getByRole('region', { name: 'Waiting to be published' })).toHaveCount(0)
})

test('a keeper invites, sets a rule, looks at who did what, and asks what the marks mean', async ({ page, world }) => {
  await as(page, world, 'keeper', '/people')
  await page.getByRole('button', { name: 'Make a link' }).click()
  await expect(page.getByRole('button', { name: 'Copy the invitation' })).toBeVisible()
  await page.getByLabel('Role of Bolaji Wren').selectOption('reviewer')
  await clean(page, 'people, asked about a role')
  await page.getByRole('button', { name: 'Leave it' }).click()
  await page.goto(`${world.url}/record?action=person`)
  await expect(page.getByRole('row', { name: /person.invited/ }).first()).toContainText('Piet Harrow')
  await clean(page, 'the record')
  // What an entry is about is a link to it.
  for (const [action, name, place] of [
    ['run', /^run \d/, 'Run'],
    ['change', /^change \d/, 'Edits'],
    ['profile', /: /, 'Ranked packages'],
    ['person', 'Piet Harrow', 'Person'],
  ] as const) {
    await page.goto(`${world.url}/record?action=${action}`)
    await page.getByRole('cell').nth(4).waitFor()
    await page.locator('td:nth-child(5)').getByRole('link', { name }).first().click()
    await expect(page.getByLabel(place, { exact: true }).first()).toBeVisible()
  }
  await page.setViewportSize({ width: 640, height: 400 })
  await page.goto(`${world.url}/packages/com.brannock.wallet.core${lyra}`)
  await page.getByRole('button', { name: /In short/ }).click()
  await expect(page.getByRole('complementary', { name: 'Margin' })).toContainText('If it goes')
  await clean(page, 'a dossier at half the width')
  await page.keyboard.press('?')
  await expect(page.getByRole('region', { name: 'Marks' })).toBeVisible()
  await clean(page, 'keys and marks')
})
