// What axe says of a page.
import AxeBuilder from '@axe-core/playwright'
import { expect, type Page } from '@playwright/test'

// clean looks at a page as it is, in light and in dark: all that axe knows in
// the one, and colours in the other, where nothing else differs.
export async function clean(page: Page, what: string) {
  for (const colorScheme of ['light', 'dark'] as const) {
    await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' })
    // The first rows of a long list stand for the others, which are drawn alike.
    // No page has frames, and without them axe needs no page of its own.
    const axe = new AxeBuilder({ page }).setLegacyMode().exclude('.rows > .row:nth-child(n+16)').exclude('.at:nth-child(n+12)')
    const { violations } = await (colorScheme === 'light' ? axe : axe.withRules('color-contrast')).analyze()
    const found = violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target.join(' ')} (${n.any[0]?.message ?? n.failureSummary})`).join('; ')}`)
    expect(found, `${what}, in ${colorScheme}`).toEqual([])
  }
}
