// What axe says of a page.
import { expect, type Page } from '@playwright/test'
import type { AxeResults, RunOptions } from 'axe-core'
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'

const source = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')

// clean looks at a page as it is once it stands, in light and in dark: all that axe knows in
// the one, and colours in the other, where nothing else differs.
export async function clean(page: Page, what: string) {
  await page.locator('h1, [role=heading][aria-level="1"]').first().waitFor({ state: 'attached' })
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(source)
  for (const colorScheme of ['light', 'dark'] as const) {
    await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' })
    const options: RunOptions = { resultTypes: ['violations'], ...(colorScheme === 'dark' && { runOnly: ['color-contrast'] }) }
    const violations = await page.evaluate(async (options) => {
      // The first rows of a long list stand for the others, which are drawn alike.
      const context = {
        exclude: [
          ['.rows > .row:nth-child(n+16)'],
          ['.at:nth-child(n+12)'],
          ['.go > li:nth-child(n+9)'],
          ['.plain > li:nth-child(n+9)'],
          ['tbody > tr:nth-child(n+16)'],
        ],
      }
      const { axe } = window as unknown as { axe: { run(context: object, options: RunOptions): Promise<AxeResults> } }
      return (await axe.run(context, options)).violations
    }, options)
    const found = violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target.join(' ')} (${n.any[0]?.message ?? n.failureSummary})`).join('; ')}`)
    expect(found, `${what}, in ${colorScheme}`).toEqual([])
  }
}
