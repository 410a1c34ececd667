// Judging: find a package, read what is known, add evidence, grade it; many
// packages at once; views, columns and files.
import type { Page } from '@playwright/test'
import { readFileSync } from 'node:fs'
import { figures, type Place, type Trial } from './definitions'
import { as, expect, lyra, test, type World } from './world'

test.use({ of: 'judge' })

const wallet = 'com.brannock.wallet.core'
const newest: Place = { maker: 'Brannock', model: 'Lyra 5', version: '15.0.0', carrier: '', release: '15' }

async function trialsOf(page: Page, world: World): Promise<Trial[]> {
  const answer = await page.request.get(`${world.url}/api/v1/packages/${wallet}/trials${lyra}`)
  return (await answer.json()).trials
}
const up = (share: number) => `${Math.ceil(share * 100 - 1e-9)} %`

// shows holds the Dossier to the definitions.
async function shows(page: Page, world: World) {
  const want = figures(await trialsOf(page, world), newest)
  const dossier = page.getByRole('region', { name: 'Dossier' })
  await expect(dossier).toContainText(`at most ${up(want.ceiling)} of Lyra 5 phones harmed`)
  await expect(dossier).toContainText(`≤ ${up(want.ceiling)}`)
  await expect(dossier).toContainText(`${want.phones} phones, ${want.people} people · standing ${want.standing}`)
  // Another package that stays uses a library of it: Tied in at least, whatever trials say.
  const suggested = want.suggested === 'Load-bearing' ? want.suggested : 'Tied in'
  await expect(dossier.getByRole('heading', { name: `Why ${suggested} is suggested` })).toBeVisible()
  if (want.floor) await expect(dossier).toContainText(`at least ${Math.floor(want.floor * 100)} %`)
  return want
}

async function addTrial(page: Page, world: World, phone: string, outcome: string, before: ReturnType<typeof figures>) {
  await page.keyboard.press('t')
  const sheet = page.getByRole('dialog')
  await sheet.locator('.v-select', { hasText: 'Phone' }).click()
  await page.getByRole('option', { name: /another phone/ }).click()
  await sheet.getByLabel('What you call that phone').fill(phone)
  await sheet.getByRole('heading').click()
  await page.keyboard.press(outcome)
  const seen = await trialsOf(page, world)
  const added = { ...newest, phone, person: 'Tove Lindqvist', method: 'remove-for-user', outcome: outcome === 'c' ? 'clean' : 'fault' }
  const after = figures([...seen, added], newest)
  const ceiling = before.ceiling === after.ceiling ? up(after.ceiling) : `${up(before.ceiling)} → ${up(after.ceiling)}`
  await expect(sheet.getByTestId('foreseen harm ceiling')).toHaveText(ceiling)
  await expect(sheet.getByTestId('foreseen suggested')).toContainText(after.suggested)
  await expect(sheet.getByTestId('contradictions')).toContainText('It speaks against what is known')
  await sheet.getByLabel('camera').check()
  await sheet.getByLabel('transit').check()
  await sheet.getByLabel('Days watched').fill('3')
  await sheet.getByRole('button', { name: 'Into the tray' }).click()
  await expect(sheet).toBeHidden()
}

async function send(page: Page, title: string) {
  const tray = page.getByRole('contentinfo', { name: 'Tray' })
  await tray.getByRole('button', { name: 'Look and send' }).click()
  await tray.getByLabel('What this is about').fill(title)
  await tray.getByRole('button', { name: 'Send' }).click()
  await expect(tray).toContainText('Sent.')
}

async function acceptAll(page: Page, world: World, title: string) {
  const list = await (await page.request.get(`${world.url}/api/v1/changes?state=sent`)).json()
  const change = list.items.find((c: { title: string }) => c.title === title)
  const whole = await (await page.request.get(`${world.url}/api/v1/changes/${change.id}`)).json()
  const answer = await page.request.post(`${world.url}/api/v1/changes/${change.id}/decisions`, {
    headers: { 'If-Match': `"${whole.revision}"` },
    data: { decisions: whole.review.map((e: { id: string }) => ({ edit: e.id, verdict: 'accepted' })) },
  })
  expect(answer.ok(), await answer.text()).toBe(true)
}

test('find the wallet, try it, grade it', async ({ page, world }) => {
  test.setTimeout(120_000)
  await as(page, world, 'technician', `/ledger${lyra}`)
  await page.getByLabel('Filter the rows').fill('pockt')
  const rows = page.getByTestId('package')
  await expect(rows.filter({ hasText: wallet })).toBeVisible()
  await rows.filter({ hasText: wallet }).getByRole('link').click()
  await expect(page.getByRole('heading', { name: 'Pocket', level: 1 })).toBeVisible()
  const before = await shows(page, world)
  const dossier = page.getByRole('region', { name: 'Dossier' })
  await expect(dossier).toContainText("the bank's own app")
  await expect(dossier).toContainText('A stored-value card is held on the device.')

  // Each bar opens the trials that made it.
  await page
    .getByRole('button', { name: /^removed for the user: .* Open its trials/ })
    .first()
    .click()
  await expect(dossier.getByRole('table', { name: 'Trials' }).getByRole('row')).toHaveCount(1 + 5)
  await dossier.getByRole('button', { name: 'clean' }).first().click()
  await expect(dossier).toContainText(/Tried afterwards: .+\. *Transfer 1\.00/)

  await addTrial(page, world, 'shelf 1', 'c', before)
  await addTrial(page, world, 'shelf 2', 'c', before)
  await addTrial(page, world, 'shelf 3', 'f', before)
  await page.keyboard.press('3')
  const load = page.getByRole('dialog')
  await load.getByLabel('Conditions').fill('not while a transit card is stored in it')
  await load.getByLabel('Why').fill('Something else failed with it.')
  await load.getByRole('button', { name: 'Into the tray' }).click()
  await send(page, 'Pocket on three more phones')

  await as(page, world, 'reviewer')
  await acceptAll(page, world, 'Pocket on three more phones')
  await page.goto(`${world.url}/packages/${wallet}${lyra}`)
  const after = await shows(page, world)
  expect(after.phones).toBe(before.phones + 3)
  expect([before.suggested, after.suggested]).toEqual(['Leaned on', 'Tied in'])
  await expect(dossier).toContainText('Tied in for Lyra 5 applies here')
  await page.goto(`${world.url}/ledger${lyra}&q=name:wallet.core`)
  await expect(rows).toContainText(`≤ ${up(after.ceiling)}`)
  await expect(rows).toContainText(after.standing)

  // An earlier state can be proposed again, and is an edit like any other.
  await page.goto(`${world.url}/packages/${wallet}${lyra}`)
  await page.getByLabel('Of which field').selectOption('load')
  await page.getByRole('button', { name: 'propose again' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Tray' })).toContainText('1 edit not sent')
})

test('one edit to many', async ({ page, world }) => {
  await as(page, world, 'maintainer', `/ledger${lyra}&q=origin:partner`)
  const rows = page.getByTestId('package')
  await expect(rows.first()).toBeVisible()
  await page.keyboard.press('x')
  await page.keyboard.press('x')
  await rows.nth(3).click({ modifiers: ['ControlOrMeta'] })
  const bar = page.getByRole('region', { name: 'Marked packages' })
  await expect(bar).toContainText('3 packages marked')
  // Marks outlast another filter.
  await page.getByLabel('Filter the rows').fill('weather')
  await expect(bar).toContainText('3 packages marked')
  await page.keyboard.press('Escape')
  await page.keyboard.press('t')
  const sheet = page.getByRole('dialog')
  await expect(sheet.getByRole('heading')).toHaveText('What happened without 3 packages')
  await page.keyboard.press('c')
  await sheet.getByLabel('Days watched').fill('3')
  await sheet.locator('input[type=file]').setInputFiles([{ name: 'phone.log', mimeType: 'text/plain', buffer: Buffer.from('I removed three\n') }])
  await expect(sheet).toContainText('phone.log')
  await sheet.locator('input[type=file]').setInputFiles([{ name: 'x.bin', mimeType: 'application/octet-stream', buffer: Buffer.from([0, 1, 2]) }])
  await expect(sheet.getByRole('alert')).toContainText('neither text nor a PNG or JPEG picture')
  await sheet.getByRole('button', { name: 'Into the tray' }).click()
  const tray = page.getByRole('contentinfo', { name: 'Tray' })
  await expect(tray).toContainText('3 edits not sent')
  await bar.getByRole('button', { name: 'who put them there' }).click()
  await sheet.getByText('Carrier').click()
  await sheet.getByLabel('How you know').fill('Seen in the contract.')
  await sheet.getByRole('button', { name: 'Into the tray' }).click()
  await expect(tray).toContainText('6 edits not sent')
  await bar.getByRole('button', { name: /unmark/ }).click()
  await expect(bar).toBeHidden()
  // Without keys: the margin marks what is under the cursor.
  await page.getByRole('button', { name: 'Mark', exact: true }).click()
  await expect(bar).toContainText('1 package marked')
  await expect(page.getByRole('complementary')).toContainText('If it goes')
  await bar.getByRole('button', { name: /unmark/ }).click()
  await expect(bar).toBeHidden()
})

test('views, columns and files of the Ledger', async ({ page, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}&q=trials%3E0&sort=ceiling&group=load`)
  await expect(page.getByTestId('package').first()).toBeVisible()
  await page.getByRole('button', { name: /^views/ }).click()
  await page.getByLabel('Name of this view').fill('tried here')
  await page.getByLabel('for everybody').check()
  await page.getByRole('button', { name: 'Keep', exact: true }).click()
  await expect(page.getByRole('button', { name: 'tried here', exact: true })).toHaveAttribute('aria-current', 'true')

  await page.getByRole('button', { name: /^columns/ }).click()
  await page.getByLabel('who put it there').check()
  await page.getByLabel('standing', { exact: true }).uncheck()
  await page.reload()
  const grid = page.getByRole('grid', { name: 'Packages' })
  await expect(grid).toContainText('Put there by')
  await expect(grid).not.toContainText('Standing')
  const first = await page.getByTestId('package').first().locator('.name').textContent()

  await page.getByRole('button', { name: /^columns/ }).click()
  for (const format of ['CSV', 'JSON']) {
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: format }).click()])
    expect(download.suggestedFilename()).toBe(`ledger-brannock-lyra-5.${format.toLowerCase()}`)
    const text = readFileSync(await download.path(), 'utf8')
    const names =
      format === 'CSV'
        ? text
            .split('\r\n')
            .slice(1)
            .map((l) => l.split(',')[0])
        : JSON.parse(text).rows.map((r: { name: string }) => r.name)
    expect(names[0]).toBe(first)
  }

  // Somebody else, elsewhere: the same view.
  await as(page, world, 'keeper', '/ledger?maker=brannock')
  await page.getByRole('button', { name: /^views/ }).click()
  await page.getByRole('button', { name: 'tried here', exact: true }).click()
  await expect(page).toHaveURL(/maker=brannock.*q=trials.*sort=ceiling.*group=load/)
})

test('the keeper changes the yardstick', async ({ page, world }) => {
  await as(page, world, 'technician')
  await page.getByRole('button', { name: /^You:/ }).click()
  await page.getByRole('link', { name: 'What evidence is measured by' }).click()
  await expect(page.getByRole('button', { name: 'Let it hold' })).toBeHidden()
  await as(page, world, 'keeper', '/yardstick')
  const far = page.getByLabel('the same maker', { exact: true })
  await far.fill('0.9')
  await page.getByRole('button', { name: 'See what would change' }).click()
  await expect(page.getByRole('alert')).toContainText('a farther firmware may not weigh more than a nearer one')
  await far.fill('0.1')
  await page.getByRole('button', { name: 'See what would change' }).click()
  await expect(page.getByRole('heading', { name: 'What would change' })).toBeVisible()
  await expect(page.getByText(/\d+ of \d+ figures, of \d+ packages/)).toBeVisible()
  await page.getByRole('button', { name: 'Let it hold' }).click()
  await expect(page.getByRole('status')).toContainText('It holds now')
  await page.reload()
  await expect(far).toHaveValue('0.1')
})
