// Measures how soon the Ledger shows rows, and how much script that takes. The page
// itself tells when they were painted: whoever drives the browser hears of it late.

import { browser as launch, held, quantile } from './asking.mjs'
import { Pace } from './pace.mjs'

const base = process.argv[2]
const browser = await launch()
let script = 0

// cold loads the Ledger in a browser that has nothing of it, and returns after how many
// milliseconds its rows were painted.
async function cold() {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } })
  await context.request.post(`${base}/api/v1/session`, { data: { login: 'technician', password: 'lend-a-phone' } })
  const page = await context.newPage()
  const sizes = []
  page.on('response', (r) => {
    if (r.url().endsWith('.js')) sizes.push(r.request().sizes())
  })
  await page.addInitScript(() => {
    const painted = () => requestAnimationFrame(() => setTimeout(() => performance.mark('rows')))
    const seen = new MutationObserver(() => document.querySelector('[data-testid=package]') && (seen.disconnect(), painted()))
    seen.observe(document, { subtree: true, childList: true })
  })
  await page.goto(`${base}/ledger?maker=brannock&model=lyra-5`)
  const rows = await page.waitForFunction(() => performance.getEntriesByName('rows')[0]?.startTime)
  const took = await rows.jsonValue()
  script = (await Promise.all(sizes)).reduce((sum, s) => sum + s.responseBodySize, 0)
  await context.close()
  return took
}

await held('first-rows', async () => {
  const times = []
  const pace = new Pace()
  for (let i = 0; i < 7; i++) {
    times.push(await cold())
    pace.step(5)
  }
  const [best, median, worst] = [0, 0.5, 1].map((q) => quantile(times, q))
  const most = `${best.toFixed(0)} ms at best, ${median.toFixed(0)} ms median, ${worst.toFixed(0)} ms at worst`
  console.log(`first rows of the Ledger after ${most}, of ${times.length} cold loads, at ${pace.now.toFixed(1)}`)
  return { value: median, pace: pace.now }
})
await browser.close()
console.log(`script for the first view: ${(script / 1000).toFixed(0)} kB compressed`)
