// A new installation, from setup on: its first keeper, what they do first, and
// how it fills.
import { test, expect, type Page } from '@playwright/test'
import { readFileSync } from 'node:fs'
import { clean } from './axe'
import { World } from './world'

// joined lets the first keeper in, who is greeted with what comes first.
async function joined(page: Page, link: string, login = 'tove') {
  await page.goto(link)
  await page.getByLabel('Your name, as others see it').fill('Tove S.')
  await page.getByLabel('Login').fill(login)
  await page.getByLabel(/^Password/).fill('a rather long password')
  await page.getByRole('button', { name: 'Join' }).click()
  return page.getByRole('region', { name: 'First start' })
}

test('the first keeper is greeted, and takes in what the platform has', async ({ page }) => {
  const world = new World()
  try {
    const { url, link } = await world.empty()
    const start = await joined(page, link)

    await expect(start.getByRole('img', { name: 'to do' })).toHaveCount(4)
    await clean(page, 'the first start')
    await start.getByRole('link', { name: 'Invite somebody' }).click()
    await page.getByRole('button', { name: 'Make a link' }).click()
    await expect(page.getByText('Hand this over')).toBeVisible()
    await page.goto(`${url}/desk`)
    await expect(start.getByRole('img', { name: 'done' })).toHaveCount(1)

    await start.getByRole('button', { name: 'Take it in' }).click()
    await expect(page.getByRole('heading', { name: "What the platform's own packages are" })).toBeVisible()
    await expect(page.getByText('somebody else has to decide about it')).toBeVisible()
    await page.goto(`${url}/desk`)
    await expect(start.getByRole('link', { name: 'Look at the change' })).toBeVisible()

    // A catalogue is not brought in on top of what is there, and says so.
    await start
      .getByLabel('An exported catalogue')
      .setInputFiles({ name: 'x.json', mimeType: 'application/json', buffer: Buffer.from('{"sections": {}}') })
    await start.getByRole('button', { name: 'Bring it in' }).click()
    await expect(start.getByRole('alert')).toContainText('There is a catalogue here already')

    await page.goto(`${url}/installation`)
    await expect(page.getByRole('list', { name: 'What to do' })).toContainText('This installation was never saved.')
    const grown = page.getByRole('region', { name: 'If it grows' })
    await expect(grown.getByText('one primary, no replica')).toBeVisible()
    await grown.getByRole('button', { name: '10,000,000' }).click()
    await expect(grown.getByText('3 servers, one primary, 2 replicas')).toBeVisible()
    await clean(page, 'the installation')
  } finally {
    await world.end()
    world.remove()
  }
})

test('an exported catalogue fills it', async ({ page, browser }) => {
  const [full, world] = [new World(), new World()]
  try {
    await full.start(JSON.parse(process.env.E2E_SEEDED ?? 'null') ?? undefined)
    const other = await browser.newPage()
    await other.request.post(`${full.url}/api/v1/session`, { data: { login: 'maintainer', password: 'lend-a-phone' } })
    const file = world.file('catalogue.json', await (await other.request.get(`${full.url}/api/v1/catalogue`)).body())
    await other.close()
    const { link } = await world.empty()
    const start = await joined(page, link, 'keeper')
    await start.getByLabel('An exported catalogue').setInputFiles(file)
    await start.getByRole('button', { name: 'Bring it in' }).click()
    await expect(page.getByRole('grid', { name: 'Packages' })).toBeVisible({ timeout: 120_000 })
    await page.goto(`${world.url}/people`)
    await expect(page.getByText('keeper-imported')).toBeVisible()
    expect(readFileSync(file).length).toBeGreaterThan(100_000)
  } finally {
    await Promise.all([full.end(), world.end()])
    full.remove()
    world.remove()
  }
})

test('a made-up world fills it, to look around in', async ({ page }) => {
  const world = new World()
  try {
    const { url, link } = await world.empty()
    const start = await joined(page, link)
    await start.getByRole('button', { name: 'Fill it with the made-up world' }).click()
    await start.getByRole('button', { name: 'Leave it' }).click()
    await start.getByRole('button', { name: 'Fill it with the made-up world' }).click()
    await start.getByRole('button', { name: 'Fill it, for good' }).click()
    // That it is only in part is said for as long as it is, here and in another tab.
    await expect(start.getByRole('status')).toContainText('only a part of it')
    const other = await page.context().newPage()
    await other.goto(url)
    await expect(other.getByRole('heading', { name: 'The made-up world is coming in' })).toBeVisible()
    await expect(page.getByRole('grid', { name: 'Packages' })).toBeVisible({ timeout: 240_000 })
    await expect(other.getByRole('heading', { name: 'The made-up world is coming in' })).toBeHidden()
    // Its people are there, and can't come in.
    await page.goto(`${url}/people`)
    await expect(page.getByText('Piet Harrow')).toBeVisible()
    const tried = await page.request.post(`${url}/api/v1/session`, { data: { login: 'maintainer', password: 'lend-a-phone' } })
    expect(tried.status()).toBe(401)
    expect((await page.request.post(`${url}/api/v1/first-start/sample`, { headers: { origin: url } })).status()).toBe(409)
  } finally {
    await world.end()
    world.remove()
  }
})
