// Nothing that somebody types or decides reaches the wrong thing, and none of it
// is lost: keys and focus, what was written, sessions, other windows.
import { api, as, expect, lyra, test, type World } from './world'
import type { Browser, Page } from '@playwright/test'

test.use({ of: 'input' })

const packages = (page: Page) => page.getByTestId('package')
const goes = (page: Page) => page.getByTestId('goes')

// quiet opens the profile that these tests are about.
async function quiet(page: Page, world: World, login: string) {
  await as(page, world, login, `/profiles${lyra}`)
  await page.getByRole('link', { name: /Quiet phone/ }).click()
  await expect(goes(page)).toHaveText(/^\d+$/)
}

async function another(browser: Browser, world: World, login: string, at?: string): Promise<Page> {
  const page = await (await browser.newContext()).newPage()
  await as(page, world, login)
  if (at) await page.goto(at)
  return page
}

test('a menu that opens takes what is typed, and Escape closes the topmost alone', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  await expect(packages(page).first()).toBeVisible()
  const builds = page.getByRole('button', { name: /^Build:/ })
  await builds.click()
  const field = page.getByRole('combobox', { name: 'Find a build' })
  await expect(field).toBeFocused()
  await page.keyboard.type('x1')
  await expect(field).toHaveValue('x1')
  await expect(page.getByText('nothing fits')).toBeVisible()
  await expect(page.getByText(/1 package is marked|marked/)).toHaveCount(0)
  await page.keyboard.press('Escape')
  await expect(field).toBeHidden()
  await expect(builds).toBeFocused()
  // A small panel above the rows, with nothing in it to type into.
  await page.getByRole('button', { name: /^columns/ }).click()
  const columns = page.getByRole('dialog', { name: 'columns' })
  await expect(columns.getByRole('checkbox').first()).toBeFocused()
  await page.keyboard.press('t')
  await page.keyboard.press('1')
  await expect(page.getByRole('dialog')).toHaveCount(1)
  await page.keyboard.press('Escape')
  await expect(columns).toBeHidden()
  // A list in a dialog: its keys are not the dialog's, and Escape is its own.
  await page.getByRole('grid', { name: 'Packages' }).focus()
  await page.keyboard.press('t')
  const trial = page.getByRole('dialog', { name: /^What happened/ })
  await trial.getByRole('combobox', { name: 'Build' }).press('ArrowDown')
  await expect(page.getByRole('listbox')).toBeVisible()
  // No build begins with it: the list itself would go to one that does.
  await page.keyboard.press('f')
  await expect(trial.getByRole('radio', { name: /fault/ })).not.toBeChecked()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('listbox')).toBeHidden()
  await expect(trial).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(trial).toBeHidden()
  await expect(page.getByRole('grid', { name: 'Packages' })).toBeFocused()
})

test('keys that are pressed while a dialog is on its way are not the page’s', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  await expect(packages(page).first()).toBeVisible()
  let fail = () => {}
  const failed = new Promise<void>((done) => (fail = done))
  await page.route(/LoadDialog.*\.js/, async (route) => {
    await failed
    await route.abort()
  })
  await page.getByRole('grid', { name: 'Packages' }).focus()
  await page.keyboard.press('1')
  await expect(page.getByRole('dialog', { name: 'Opening' })).toBeVisible()
  await page.keyboard.type('xxt')
  fail()
  await expect(page.getByRole('alert')).toContainText('the server does not answer')
  await expect(page.getByText('marked', { exact: false })).toHaveCount(0)
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog')).toHaveCount(0)
  await expect(page.getByRole('grid', { name: 'Packages' })).toBeFocused()
})

test('what is called exactly that stands first and is what Enter opens; Escape lets go of box and filter', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  await expect(packages(page).first()).toBeVisible()
  for (const words of ['Pocket', 'pocket', 'ポケット', 'com.brannock.wallet.core']) {
    await page.keyboard.press('/')
    await page.keyboard.type(words)
    await expect(packages(page).first()).toContainText('com.brannock.wallet.core')
    await expect(packages(page).first()).toHaveAttribute('aria-selected', 'true')
    await page.keyboard.press('Escape')
    await expect(page.getByLabel('Find packages')).toHaveValue('')
    await expect(page.getByLabel('Filter the rows')).toHaveValue('')
    await expect(page.getByText('167 of 167')).toBeVisible()
  }
  // Both at once, faster than any answer: the rows before are not meant.
  await page.keyboard.press('/')
  await page.keyboard.type('pocket')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('grid', { name: 'Packages' })).toBeFocused()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('region', { name: 'Dossier' }).getByRole('heading', { name: 'Pocket', level: 1 })).toBeVisible()
  await page.goBack()
  await page.getByLabel('Filter the rows').press('Escape')
  await expect(page.getByText('167 of 167')).toBeVisible()
})

test('half the width at twice the size: the margin stands below, and nothing is out of reach', async ({ page, world }) => {
  await page.setViewportSize({ width: 640, height: 400 })
  await as(page, world, 'technician', `/ledger${lyra}`)
  await expect(packages(page).first()).toBeVisible()
  const margin = page.getByRole('complementary', { name: 'Margin' })
  const fold = margin.getByRole('button', { name: /In short/ })
  await page.keyboard.press('/')
  await page.keyboard.type('pocket')
  await expect(packages(page)).toHaveCount(2)
  await page.keyboard.press('Enter')
  await fold.click()
  await expect(margin).toContainText('At most 74 % of phones harmed')
  await page.goto(`${world.url}/packages/com.brannock.wallet.core${lyra}`)
  await expect(margin).toContainText('If it goes')
  await page.keyboard.press('m')
  await expect(fold).toHaveAttribute('aria-expanded', 'false')
  for (const [login, path] of [
    ['technician', `/packages/com.brannock.wallet.core${lyra}`],
    ['reviewer', '/review'],
    ['maintainer', `/profiles${lyra}`],
    ['technician', '/bench'],
  ] as const) {
    await as(page, world, login, path)
    await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
    expect(await page.evaluate(() => document.documentElement.scrollWidth), path).toBeLessThanOrEqual(640)
  }
  await page.setViewportSize({ width: 2560, height: 1440 })
  await page.goto(`${world.url}/packages/com.brannock.wallet.core${lyra}`)
  await expect(margin).toContainText('If it goes')
  await expect(page.getByRole('button', { name: /In short/ })).toHaveCount(0)
})

test('the words of a return: Escape keeps them and goes back, Ctrl and Enter finish', async ({ page, world }) => {
  await as(page, world, 'reviewer', `/review${lyra}`)
  await page.getByRole('link', { name: /Headlines/ }).click()
  await page.getByRole('article').first().waitFor()
  await page.keyboard.press('r')
  const what = page.getByLabel(/What is missing/)
  await expect(what).toBeFocused()
  await page.keyboard.type('Which phone, and for how long?')
  await page.keyboard.press('Escape')
  await expect(page.getByLabel('Edits', { exact: true })).toBeFocused()
  await expect(what).toHaveValue('Which phone, and for how long?')
  await expect(page).toHaveURL(/review\/./)
  await what.press('Control+Enter')
  await expect(page.getByRole('article').first()).toContainText('returned by Anselm Okoro')
})

test('the cut line knows Home, End and pages; what somebody drew is not taken back by what was read before', async ({ page, world }) => {
  await quiet(page, world, 'maintainer')
  const was = Number(await goes(page).textContent())
  const line = page.getByRole('slider', { name: /^Cut line/ })
  await line.press('Home')
  await expect(goes(page)).toHaveText('1') // what is pinned
  await line.press('End')
  await expect.poll(async () => Number(await goes(page).textContent())).toBeGreaterThan(was + 3)
  const most = Number(await goes(page).textContent())
  await line.press('PageUp')
  await expect.poll(async () => Number(await goes(page).textContent())).toBeLessThan(most)
  await line.press('PageDown')
  await expect(goes(page)).toHaveText(String(most))
  await page.keyboard.press('z')
  await expect(goes(page)).toHaveText(String(was))
  // What the server had before is on its way while more is drawn and kept.
  const saved = () => page.waitForResponse((r) => r.request().method() === 'PUT' && r.url().endsWith('/draft'))
  let held: (() => Promise<void>) | undefined
  await page.route('**/draft', async (route) => {
    if (route.request().method() !== 'GET' || held) return route.continue()
    const answer = await route.fetch()
    const free = new Promise<void>((done) => (held = async () => done()))
    await free
    await route.fulfill({ response: answer })
  })
  await Promise.all([saved(), line.press('ArrowDown')])
  await expect.poll(() => !!held).toBe(true)
  await Promise.all([saved(), line.press('ArrowDown')])
  await expect(goes(page)).toHaveText(String(was + 2))
  const late = page.waitForResponse((r) => r.request().method() === 'GET' && r.url().endsWith('/draft'))
  await held!()
  await late
  await expect(page.getByRole('contentinfo', { name: 'Profile' })).toContainText('changed, not kept')
  await page.getByRole('button', { name: /Rules/ }).click()
  await expect(goes(page)).toHaveText(String(was + 2))
  await page.unrouteAll({ behavior: 'ignoreErrors' })
  const gone = page.waitForResponse((r) => r.request().method() === 'DELETE' && r.url().endsWith('/draft'))
  await page.keyboard.press('z')
  await expect(goes(page)).toHaveText(String(was))
  await gone
})

test('a dialog with something written in it asks once before it goes', async ({ page, world }) => {
  await as(page, world, 'technician', `/packages/com.brannock.tips${lyra}`)
  await page.getByRole('button', { name: 'say what it does' }).or(page.getByRole('button', { name: 'change', exact: true })).first().click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('How you know').fill('I looked for an hour.')
  await page.keyboard.press('Escape')
  await expect(dialog.getByRole('alert')).toContainText('not kept anywhere')
  await dialog.getByRole('button', { name: 'Go on writing' }).click()
  await expect(dialog.getByLabel('How you know')).toHaveValue('I looked for an hour.')
  await page.keyboard.press('Escape')
  await page.keyboard.press('Escape')
  await expect(dialog).toBeHidden()
})

test('a session that ended elsewhere is signed into on top, and what was written stays', async ({ page, browser, world }) => {
  await as(page, world, 'second', `/packages/com.brannock.tips${lyra}`)
  await page.keyboard.press('1')
  const load = page.getByRole('dialog', { name: /^Load of/ })
  await load.getByLabel('Why').fill('Nobody here reads them.')
  // Elsewhere every session of theirs is ended.
  const other = await another(browser, world, 'second')
  await api(other, world, 'DELETE', '/sessions')
  await other.context().close()
  await load.getByRole('button', { name: 'Into the tray' }).click()
  const again = page.getByRole('dialog', { name: 'Sign in again' })
  await expect(again).toContainText('What you have written on this page is kept')
  await again.getByLabel('Password').fill('lend-a-phone')
  await again.getByRole('button', { name: 'Sign in' }).click()
  await expect(again).toBeHidden()
  await expect(load.getByLabel('Why')).toHaveValue('Nobody here reads them.')
  await load.getByRole('button', { name: 'Into the tray' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Tray' })).toContainText('1 edit not sent')
})

test('a publication whose rules change is withdrawn before everybody’s eyes; two windows show the same at once', async ({ page, browser, world }) => {
  await quiet(page, world, 'maintainer')
  const was = Number(await goes(page).textContent())
  await page.getByRole('button', { name: /ask to publish/i }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Ask for it' }).click()
  await expect(page.getByRole('region', { name: 'Waiting to be published' })).toBeVisible()
  const signer = await another(browser, world, 'keeper', page.url())
  const sign = signer.getByRole('button', { name: /^Sign and publish/ })
  await expect(sign).toBeEnabled()
  // The one who asked changes the rules, in a second window of theirs.
  const second = await page.context().newPage()
  await second.goto(page.url())
  await second.getByRole('slider').press('ArrowDown')
  await expect(goes(second)).toHaveText(String(was + 1))
  await second.getByRole('button', { name: 'Keep the rules' }).click()
  for (const window of [signer, page, second]) {
    await expect(window.getByText(/It is withdrawn:/)).toContainText('Mirja Calloway changed the rules')
    await expect(window.getByRole('region', { name: 'Waiting to be published' })).toHaveCount(0)
    await expect(goes(window)).toHaveText(String(was + 1))
  }
  await expect(sign).toHaveCount(0)
  await signer.getByRole('button', { name: /^You:.*not read/ }).click()
  await signer.getByRole('link', { name: /What you were told/ }).click()
  await expect(signer.getByRole('main')).toContainText('changed the rules of')
  await second.close()
  // The tray, too.
  const first = await another(browser, world, 'technician', `${world.url}/ledger${lyra}`)
  const beside = await first.context().newPage()
  await beside.goto(first.url())
  const tray = (p: Page) => p.getByRole('contentinfo', { name: 'Tray' })
  await expect(tray(beside)).toContainText('empty')
  await expect(packages(first).first()).toBeVisible()
  await first.keyboard.press('1')
  await first.getByRole('dialog').getByLabel('Why').fill('Seen.')
  await first.getByRole('dialog').getByRole('button', { name: 'Into the tray' }).click()
  await expect(tray(beside)).toContainText('1 edit not sent')
})
