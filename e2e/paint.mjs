// Measures how soon the Ledger shows rows, and how much script that takes. The page
// itself tells when they were painted: whoever drives the browser hears of it late.

import { browser as launch, figure } from './asking.mjs'
import { Pace } from './pace.mjs'

const base = process.argv[2]
const browser = await launch()
const times = []
const pace = new Pace()
let script = 0
for (let i = 0; i < 7; i++) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } })
  await context.request.post(`${base}/api/v1/session`, { data: { login: 'technician', password: 'lend-a-phone' } })
  const page = await context.newPage()
  script = 0
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
  times.push(await rows.jsonValue())
  for (const s of await Promise.all(sizes)) script += s.responseBodySize
  await context.close()
  pace.step(10)
}
await browser.close()
times.sort((a, b) => a - b)
figure('first-rows', times[3], pace)
console.log(
  `first rows of the Ledger after ${times[0].toFixed(0)} ms at best, ${times[3].toFixed(0)} ms median, ${times[6].toFixed(0)} ms at worst, of 7 cold loads, at ${pace.now.toFixed(1)}`,
)
console.log(`script for the first view: ${(script / 1000).toFixed(0)} kB compressed`)
