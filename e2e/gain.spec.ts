// What a release brings: a phone measured as it is, a run with a measurement before
// and after, and the figure that comes of it, from the run to the public page; and
// where harm is weighed against it.
import { clean } from './axe'
import { as, attach, expect, lyra, phoneLine, test } from './world'

test.use({ of: 'gain' })

test('a phone is measured, run on, and what it gained stands on the public page', { tag: '@either' }, async ({ page, world }) => {
  test.slow()
  const of = '/r/brannock/lyra-5/short-loan'
  await page.goto(world.url + of)
  await expect(page.getByText('Measured before and after on 12 phones:')).toBeVisible()
  await as(page, world, 'technician', '/bench')
  await attach(page, world)
  await phoneLine(page, world).click()
  // As it is, without a run.
  const uses = page.getByRole('region', { name: 'What it uses' })
  await uses.getByRole('button', { name: 'Measure', exact: true }).click()
  await expect(uses.getByRole('row')).toHaveCount(2, { timeout: 60_000 })
  await expect(uses.getByRole('row').last()).toContainText(/just now.*\d{4}\.\d MB.*\d+\.\d s.*screen off/)
  // A run measures unless somebody unticks it; here the tests have.
  await page.getByRole('button', { name: 'Rehearse Short loan, no. 3' }).click()
  await expect(page.getByRole('heading', { name: /Short loan, no. 3 on Lyra 5/ })).toBeVisible()
  await page.getByLabel(/Measure what it brings/).check()
  await page.getByRole('button', { name: 'Run it', exact: true }).click()
  await page.getByRole('button', { name: 'Run it now' }).click()
  const brought = page.getByRole('region', { name: 'What it brought' })
  await expect(brought).toBeVisible({ timeout: 120_000 })
  const row = (name: string) => brought.getByRole('row').filter({ hasText: name })
  await expect(row('Memory to be had')).toContainText(/\+\d+\.\d MB/)
  await expect(row('Ready after a start')).toContainText(/−\d+\.\d s/)
  await expect(row('Woken by alarms')).toContainText(/−\d+\.\d an hour/)
  await expect(row('Opening a screen')).toContainText('ms')
  await expect(brought).toContainText('This release, on 13 phones')
  await brought.getByRole('button', { name: 'open them' }).click()
  await expect(brought.getByRole('region', { name: 'Phones that were measured' }).getByRole('row')).toHaveCount(14)
  await clean(page, 'what a run brought')
  // For everybody, and as a picture for its owner.
  await page.goto(world.url + of)
  await expect(page.getByText('Measured before and after on 13 phones:')).toBeVisible()
  await expect(page.getByText(/^\d+ MB more memory is free \(\d+ to \d+\)$/)).toBeVisible()
  await expect(page.locator('svg.brings').first().locator('circle')).toHaveCount(13)
  const status = (await (await page.request.get(`${world.url}${of}.status.json`)).json()) as { gain: { memory: { phones: number; verdict: string } } }
  expect(status.gain.memory).toMatchObject({ phones: 13, verdict: 'gain' })
  await page
    .getByRole('link', { name: /^Phone \d+/ })
    .first()
    .click()
  await expect(page.getByRole('heading', { name: 'Before and after' })).toBeVisible()
  await clean(page, 'the public record of a run')
  await expect(page.getByRole('row').filter({ hasText: 'free memory, MB' })).toContainText('before')
})

test('what packages take is found in the Ledger, and opened in the Dossier', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  await page.getByLabel('Filter the rows').fill('memory>20MB starts:yes')
  await expect(page.getByRole('row').filter({ hasText: 'com.brannock.feed.daily' })).toContainText(/6\d MB, 6\/h/)
  await page.goto(`${world.url}/packages/com.brannock.cloudroll${lyra}`)
  const uses = page.getByRole('region', { name: 'What it uses' })
  await expect(uses.getByRole('img', { name: /^Memory by firmware: Lyra 5 14\.2\.1 1\d\.\d MB; Lyra 5 15\.0\.0 5\d\.\d MB/ })).toBeVisible()
  await uses.getByRole('button', { name: '5 phones' }).click()
  await expect(uses.getByRole('row')).toHaveCount(6)
  await expect(uses.getByRole('row').last()).toContainText('without a run')
  await clean(page, 'what a package uses')
})

test('the cut line is put where it brings most for its harm', async ({ page, world }) => {
  await as(page, world, 'maintainer')
  await expect(
    page.getByText(/On Lyra 5 15\.0\.0, com\.brannock\.cloudroll began to use 5\d\.\d MB of memory; on 14\.2\.1 it was 1\d\.\d MB/),
  ).toBeVisible()
  await page.goto(`${world.url}/profiles${lyra}`)
  await page
    .getByRole('link', { name: /Quiet phone/ })
    .first()
    .click()
  await page.getByRole('button', { name: 'Harm and gain' }).click()
  const sheet = page.getByRole('region', { name: 'Harm and gain' })
  const line = page.getByRole('slider', { name: /Cut line/ })
  await expect(line).toHaveAttribute('aria-valuenow', '40')
  await expect(sheet.locator('svg circle').nth(40)).toBeVisible()
  // The arrows walk the marks from the least harm on.
  await clean(page, 'harm against gain')
  const walk = sheet.getByRole('group', { name: /Marks/ })
  await walk.focus()
  await expect(sheet).toContainText('com.brannock.tips')
  await walk.press('ArrowRight')
  await expect(sheet).toContainText('app.basketree.shop')
  await expect(page.getByRole('row', { selected: true })).toContainText('Basketree')
  await page.getByLabel('Order').selectOption('worth')
  await expect(page.getByRole('row').nth(1)).toContainText(/Basketree|Daily Feed/)
  await expect(sheet).toContainText(/At 2\d % the line would take/)
  await sheet.getByRole('button', { name: 'Put the line there' }).click()
  await expect(line).toHaveAttribute('aria-valuenow', /2\d/)
  await expect(sheet).toContainText('The line stands where it brings most for its harm')
  await expect(sheet).toContainText(/What no\. 4 brought/)
  // What goes for nothing is kept, with a reason.
  await sheet.getByRole('listitem').filter({ hasText: 'com.fieldnote.chirrup' }).getByRole('button', { name: 'keep' }).click()
  await page.getByRole('dialog').getByRole('textbox').first().fill('It brings nothing.')
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /keep|pin/i })
    .first()
    .click()
  await expect(sheet.getByRole('listitem').filter({ hasText: 'com.fieldnote.chirrup' })).toHaveCount(0)
})
