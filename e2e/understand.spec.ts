// What is said before somebody acts, so that nothing has to be guessed.
import { api, as, expect, lyra, test } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'understand' })

// dossier waits for Pocket's, so that keys reach it.
const dossier = (page: Page) =>
  page.getByRole('region', { name: 'Dossier' }).getByRole('heading', { name: 'Pocket', level: 1 }).waitFor()

test('a load says at once what is known against it; the tray and the review say what holds now', async ({ page, world }) => {
  await as(page, world, 'ines', `/packages/com.brannock.wallet.core${lyra}`)
  await dossier(page)
  await page.keyboard.press('1')
  const load = page.getByRole('dialog', { name: 'Load of Pocket' })
  await expect(load.getByTestId('load moves')).toContainText('Leaned on, set')
  await expect(load.getByTestId('load moves')).toContainText('the evidence suggests Tied in')
  await expect(load).toContainText('Tied in by structure: other packages of the image cannot do without it.')
  await expect(load).toContainText(/Needs 2 reviewers: more lenient than the evidence suggests/)
  await expect(load).toContainText('Say why.')
  await load.getByRole('radio', { name: /^Tied in/ }).check({ force: true })
  await expect(load).not.toContainText('more lenient')
  await page.keyboard.press('Escape')
  await expect(load).toBeHidden()
  // Of one that nobody has graded, the suggestion is what holds.
  await page.goto(`${world.url}/ledger${lyra}&q=com.brannock.access.readaloud`)
  await page.getByTestId('package').first().waitFor()
  await page.getByRole('grid', { name: 'Packages' }).focus()
  await page.keyboard.press('2')
  const other = page.getByRole('dialog', { name: /^Load of/ })
  await other.getByLabel('Why').fill('It reads to two of us.')
  await other.getByRole('button', { name: 'Into the tray' }).click()
  await expect(other).toBeHidden()
  await expect(page.getByTestId('package').first()).toContainText('in tray')
  const tray = page.getByRole('contentinfo', { name: 'Tray' })
  await tray.getByRole('button', { name: 'Look and send' }).click()
  const title = tray.getByLabel('What this is about')
  await expect(title).toBeFocused()
  await expect(title).toHaveValue('Read Aloud on Lyra 5: load')
  await expect(tray.getByRole('listitem')).toContainText('Read Aloud')
  await expect(tray.getByRole('listitem')).toContainText(/Unproven by suggestion.*Leaned on/s)
  await expect(tray.getByText(/needs 2 reviewers/)).toHaveCount(1)
  await title.press('Enter')
  await tray.getByRole('link', { name: 'See the change' }).click()
  await expect(page.getByRole('article')).toContainText('Unproven by suggestion')
  await page.goto(`${world.url}/ledger${lyra}&q=com.brannock.access.readaloud`)
  await expect(page.getByTestId('package').first()).toContainText('in review')
})

test('a trial asks for the phone’s model, says what is missing, and guesses no second phone', async ({ page, world }) => {
  await as(page, world, 'technician', '/packages/com.brannock.wallet.core')
  await dossier(page)
  await page.keyboard.press('t')
  const trial = page.getByRole('dialog', { name: /^What happened/ })
  await expect(trial).toContainText('Say on which model and build.')
  const pick = async (field: string, option: string | RegExp) => {
    await trial.locator('.v-select', { hasText: field }).click()
    await page.getByRole('option', { name: option, exact: typeof option === 'string' }).click()
    // While a menu is on its way, keys are nobody's.
    await expect(page.getByRole('listbox')).toHaveCount(0)
  }
  await pick('The phone’s maker', 'Brannock')
  await pick('Its model', 'Lyra 5')
  await expect(trial).toContainText('Say what came of it.')
  await expect(trial.locator('.v-select', { hasText: 'Phone' }).last()).toContainText(/captured .* by/)
  await page.keyboard.press('l')
  await expect(trial).toContainText('Say which function was lost.')
  await trial.getByLabel('Which function').fill('payments')
  await expect(trial).toContainText(/Contested: \d+ phones? harmed against \d+ that went clean/)
  await trial.getByRole('checkbox', { name: 'payments' }).check()
  await expect(trial).toContainText('payments was lost and worked: it can be one of them.')
  await expect(trial.getByRole('button', { name: 'Into the tray' })).toBeDisabled()
  await trial.getByRole('checkbox', { name: 'payments' }).uncheck()
  await trial.getByRole('button', { name: 'Into the tray' }).click()
  await expect(trial).toBeHidden()
  await page.goto(`${world.url}/packages/com.brannock.wallet.core${lyra}`)
  await dossier(page)
  await page.keyboard.press('t')
  await expect(trial).toContainText('Say on which phone.')
  await trial.locator('.v-select', { hasText: 'Phone' }).last().click()
  await expect(page.getByRole('option', { name: /in your tray already/ })).toHaveCount(1)
})

test('x stays or steps as somebody chose, and i says in words what a row shows', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}&q=pocket`)
  const rows = page.getByTestId('package')
  await expect(rows).toHaveCount(2)
  const grid = page.getByRole('grid', { name: 'Packages' })
  await grid.focus()
  await page.keyboard.press('i')
  await expect(page.getByRole('status').filter({ hasText: 'Leaned on' })).toContainText('Trials: 6 clean, 3 function lost')
  await page.keyboard.press('x')
  await expect(rows.nth(1)).toHaveAttribute('aria-selected', 'true')
  await page.keyboard.press('?')
  const help = page.getByRole('dialog')
  await expect(help).toContainText('and go on to the next')
  await expect(help.getByRole('region', { name: 'Marks' })).toContainText('Tied in: other packages or settings rest on it')
  await help.getByRole('link', { name: 'Press them otherwise' }).click()
  await page.getByRole('checkbox', { name: /marks a row and goes on/ }).uncheck()
  await page.goto(`${world.url}/ledger${lyra}&q=pocket`)
  await grid.focus()
  await page.keyboard.press('x')
  await expect(rows.first()).toHaveAttribute('aria-selected', 'true')
})

test('a long touch says what a mark is', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}&q=pocket`)
  const mark = page.getByTestId('package').first().getByRole('img', { name: 'Leaned on' })
  const box = (await mark.boundingBox())!
  const at = { pointerType: 'touch', clientX: box.x + 5, clientY: box.y + 8, bubbles: true, isPrimary: true }
  await mark.dispatchEvent('pointerdown', at)
  await expect(page.getByRole('status').filter({ hasText: 'Leaned on' })).toBeVisible()
  await mark.dispatchEvent('pointerup', at)
})

test('a profile takes off only what is for some functions, and shows what goes as one', async ({ page, world }) => {
  await as(page, world, 'maintainer', `/profiles${lyra}`)
  await page.getByRole('link', { name: /Quiet phone/ }).click()
  const goes = page.getByTestId('goes')
  await expect(goes).toHaveText('13')
  const rows = page.getByRole('grid', { name: 'Packages, ranked' }).locator('.row')
  await expect(rows.nth(0)).toContainText('Tips')
  await expect(rows.nth(12)).toContainText('pinned: Nobody who bo')
  await expect(page.getByRole('region', { name: 'Run sheet' })).toContainText('Music')
  await page.getByRole('button', { name: 'Rules', exact: true }).click()
  const draft = (method: string) => page.waitForResponse((r) => r.request().method() === method && r.url().endsWith('/draft'))
  await Promise.all([draft('PUT'), page.getByRole('checkbox', { name: /^Only what is for:/ }).first().check()])
  await expect(page.getByText('Nothing goes that is for none of these, but by a pin.')).toBeVisible()
  await expect.poll(async () => Number(await goes.textContent())).toBeLessThan(13)
  await expect(rows.filter({ hasText: 'com.brannock.tips' })).toContainText('for nothing that this profile takes off')
  await Promise.all([draft('DELETE'), page.getByRole('button', { name: /let it go/ }).click()])
  await expect(goes).toHaveText('13')
})

test('roles ask before they change; the record says who did what to whom, from what to what', async ({ page, world, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write'])
  await as(page, world, 'keeper', '/people')
  await page.getByLabel('Role of Runa Eklund').selectOption('maintainer')
  const asked = page.getByRole('alert')
  await expect(asked).toContainText('Runa Eklund as maintainer? They will be able to decide about others')
  await asked.getByRole('button', { name: 'Leave it' }).click()
  await expect(page.getByLabel('Role of Runa Eklund')).toHaveValue('technician')
  await page.getByLabel('Role of Runa Eklund').selectOption('reviewer')
  await asked.getByRole('button', { name: 'Make Runa Eklund reviewer' }).click()
  await expect(asked).toHaveCount(0)
  await page.getByRole('button', { name: 'Make a link' }).click()
  await page.getByRole('button', { name: 'Copy the invitation' }).click()
  await expect(page.getByText('copied')).toBeVisible()
  expect(await page.evaluate(() => navigator.clipboard.readText())).toContain('/join')
  await page.goto(`${world.url}/record`)
  const row = page.getByRole('row', { name: /person.role/ }).first()
  await expect(row).toContainText('role: technician → reviewer')
  await expect(row.getByRole('link', { name: 'Runa Eklund' })).toBeVisible()
  await page.getByLabel('What', { exact: true }).selectOption('profile')
  await expect(page).toHaveURL(/action=profile/)
  await page.reload()
  await expect(page.getByLabel('What', { exact: true })).toHaveValue('profile')
  await row.waitFor({ state: 'detached' })
  // As it was.
  const { items } = (await (await api(page, world, 'GET', '/people')).json()) as { items: { id: string; login: string }[] }
  await api(page, world, 'PUT', `/people/${items.find((p) => p.login === 'runa')!.id}/role`, { role: 'technician' })
})

test('who is new is offered three things to try, each gone once it was done', async ({ page, world }) => {
  for (const [login, words] of [
    ['technician', 'See what a phone model ships'],
    ['reviewer', 'Look at packages whose trials contradict each other'],
    ['maintainer', 'Move the cut line of a profile'],
    ['keeper', 'See who did what'],
  ] as const) {
    await as(page, world, login, '/desk')
    const first = page.getByRole('region', { name: 'First steps' })
    await first.getByRole('link', { name: words }).click()
    await page.getByRole('link', { name: 'Desk' }).first().click()
    await expect(first.getByRole('link').first()).toBeVisible()
    await expect(first.getByRole('link', { name: words })).toHaveCount(0)
  }
  await page.getByRole('button', { name: 'I know my way' }).click()
  await page.reload()
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
  await expect(page.getByRole('region', { name: 'First steps' })).toHaveCount(0)
})
