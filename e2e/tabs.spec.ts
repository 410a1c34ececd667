// Runs through a browser, broken on purpose: the tab is closed, its process ends,
// the page is loaded anew, the network goes, the cable falls out, the phone
// restarts. Afterwards the phone has to be exactly as the journal says. A few in
// the tests; as many as one likes by scripts/faults.
import { api, as, attach, expect, hand, phoneLine, test, type World } from './world'
import type { BrowserContext, Page } from '@playwright/test'

test.use({ of: 'tabs' })

const runs = Number(process.env.ROSTER_BROKEN_TABS ?? 3)

interface Step {
  number: number
  kind: string
  package: string
  state: string
}
interface Ran {
  run: { id: string; state: string; why: string; settled: boolean }
  steps: Step[]
}

// chance is a small generator with a seed, so that what it came to comes again.
function chance(seed: number) {
  return () => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0
    return seed / 2 ** 32
  }
}

const ways = ['the tab is closed', 'its process ends', 'the page is loaded anew', 'the network goes', 'the cable falls out', 'the phone restarts'] as const

async function breaks(way: (typeof ways)[number], page: Page, context: BrowserContext, world: World): Promise<Page> {
  const anew = async () => {
    await page.close().catch(() => undefined)
    return context.newPage()
  }
  switch (way) {
    case 'the tab is closed':
      return anew()
    case 'its process ends':
      page.goto('chrome://crash').catch(() => undefined)
      await page.waitForEvent('crash')
      return anew()
    case 'the page is loaded anew':
      await page.reload()
      return page
    case 'the network goes':
      await Promise.all([page.waitForEvent('requestfailed'), context.setOffline(true)])
      await context.setOffline(false)
      return page
    case 'the cable falls out':
      await hand(page, world, 'unplug')
      await hand(page, world, 'plug')
      return page
    case 'the phone restarts':
      await hand(page, world, 'restart')
      return page
  }
}

// there has the tab be a bench with its phone again.
async function there(page: Page, world: World) {
  if (!page.url().includes('/bench')) await page.goto(`${world.url}/bench`)
  const anew = page.getByRole('button', { name: 'Begin anew' })
  await expect(async () => {
    if (await anew.isVisible()) await anew.click()
    await expect(phoneLine(page, world)).toContainText('Android', { timeout: 5_000 })
  }).toPass({ timeout: 120_000 })
}

const get = async (page: Page, world: World, id: string) => (await (await api(page, world, 'GET', `/runs/${id}`)).json()) as Ran

async function settled(page: Page, world: World, id: string): Promise<Ran> {
  let r!: Ran
  await expect(async () => {
    r = await get(page, world, id)
    expect(r.run.state !== 'going' && r.run.settled, `${r.run.state}: ${r.run.why}`).toBe(true)
  }).toPass({ timeout: 120_000 })
  return r
}

async function ask(page: Page, world: World, id: string, what: 'continue' | 'put-back') {
  await expect(async () => {
    const a = await page.request.post(`${world.url}/api/v1/runs/${id}/${what}`, { data: what === 'put-back' ? {} : undefined })
    expect(a.status(), await a.text()).toBe(204)
  }).toPass({ timeout: 120_000 })
  return settled(page, world, id)
}

// agrees holds the phone to the journal.
function agrees(world: World, before: string[], r: Ran, when: string) {
  const off = new Set<string>()
  for (const s of r.steps) {
    expect(['unknown', 'sent'], `${when}: step ${s.number}`).not.toContain(s.state)
    if (s.state !== 'done') continue
    if (s.kind === 'remove') off.add(s.package)
    if (s.kind === 'put-back') off.delete(s.package)
  }
  const now = new Set(world.installed())
  expect(
    before.filter((name) => now.has(name) === off.has(name)),
    `${when}: what is not as the journal says`,
  ).toEqual([])
}

test(`${runs} runs through a browser, each broken in the middle`, { tag: '@browser' }, async ({ page, context, world }) => {
  test.setTimeout(60_000 + runs * 120_000)
  await as(page, world, 'technician')
  await attach(page, world)
  const { items } = (await (await api(page, world, 'GET', '/profiles?maker=brannock&model=lyra-5')).json()) as { items: { id: string; name: string }[] }
  const profile = items.find((p) => p.name === 'Short loan')!.id
  const next = chance(Number(process.env.ROSTER_SEED ?? 1))
  let tab = page
  const came: Record<string, number> = {}
  for (let i = 0; i < runs; i++) {
    const way = ways[(i + Number(process.env.ROSTER_SEED ?? 1) - 1) % ways.length]!
    await there(tab, world)
    const before = world.installed()
    const { items: benches } = (await (await api(tab, world, 'GET', '/benches')).json()) as {
      items: { id: string; personId?: string; away: boolean; view: { phones: { address: string; handle: string }[] } }[]
    }
    const bench = benches.find((b) => b.personId && !b.away && b.view.phones.some((p) => p.address === world.phone))!
    const phone = bench.view.phones.find((p) => p.address === world.phone)!.handle
    const { id: job } = (await (await api(tab, world, 'POST', `/benches/${bench.id}/requests`, { kind: 'capture', phone })).json()) as { id: string }
    let capture = ''
    await expect(async () => {
      const j = (await (await api(tab, world, 'GET', `/jobs/${job}`)).json()) as { result?: { id: string }; problem: string }
      expect(j.result?.id, j.problem).toBeTruthy()
      capture = j.result!.id
    }).toPass({ timeout: 60_000 })
    const choices = { leave: [], off: [], keep: [], without: [], seen: [], noRestart: true, anyway: false, ownersData: '' }
    const { id } = (await (await api(tab, world, 'POST', '/runs', { profile, capture, choices, bench: bench.id, phone })).json()) as { id: string }
    await new Promise((r) => setTimeout(r, next() * 1300)) // at any moment: that is the point
    tab = await breaks(way, tab, context, world)
    await there(tab, world)
    let r = await settled(tab, world, id)
    agrees(world, before, r, `${i}: ${way}`)
    came[r.run.state] = (came[r.run.state] ?? 0) + 1
    if (r.run.state === 'interrupted' || r.run.state === 'stopped') {
      r = await ask(tab, world, id, 'continue')
      expect(r.run.state, r.run.why).toBe('finished')
      agrees(world, before, r, `${i}: continued after ${way}`)
      expect(r.steps.filter((s) => s.state === 'waiting')).toEqual([])
    }
    r = await ask(tab, world, id, 'put-back')
    agrees(world, before, r, `${i}: put back after ${way}`)
    expect(world.installed()).toEqual(before)
  }
  console.log(`${runs} runs:`, came)
})
