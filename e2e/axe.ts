// What axe says of a page.
import AxeBuilder from '@axe-core/playwright'
import { expect, type Page } from '@playwright/test'

// The first rows of a long list stand for the others, which are drawn alike.
export async function clean(page: Page, what: string) {
  const { violations } = await new AxeBuilder({ page }).exclude('.rows > .row:nth-child(n+16)').exclude('.at:nth-child(n+12)').analyze()
  const found = violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target.join(' ')} (${n.any[0]?.message ?? n.failureSummary})`).join('; ')}`)
  expect(found, what).toEqual([])
}
