// Measures the workbench in a browser over the generated catalogue: how many frames a
// second scrolling keeps, and how soon a profile tells what a moved cut line comes to.
//
//	node e2e/scale-browser.mjs URL
import { browser as launch, as, get, held, quantile, say } from './asking.mjs'
import { Pace } from './pace.mjs'

const [base] = process.argv.slice(2)
const browser = await launch()
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
await page.context().request.post(`${base}/api/v1/session`, { data: { login: 'keeper', password: 'lend-a-phone' } })

// Scrolling 5,000 rows: how far apart frames are while the wheel turns.
await page.goto(`${base}/ledger?q=origin:partner,carrier`)
await page.waitForSelector('[data-testid=package]')
for (let i = 0; i < 60; i++) {
  const lines = await page.evaluate(() => {
    const grid = document.querySelector('[role=grid]')
    grid.scrollTo(0, grid.scrollHeight)
    return grid.scrollHeight / 26
  })
  if (lines > 5000) break
  await page.waitForTimeout(150)
}
await held('scrolling', async () => {
  const pace = new Pace()
  pace.step(5)
  const frames = await page.evaluate(async () => {
    const grid = document.querySelector('[role=grid]')
    grid.scrollTo(0, 0)
    const times = []
    for (let top = 0; top < Math.min(grid.scrollHeight, 2000 * 26); top += 130) {
      grid.scrollTo(0, top)
      times.push(await new Promise(requestAnimationFrame))
    }
    return { seconds: (times.at(-1) - times[0]) / 1000, frames: times.length - 1, rows: Math.round(grid.scrollHeight / 26) }
  })
  pace.step(5)
  const value = frames.frames / frames.seconds
  say(`scrolling ${frames.rows} rows, 130 pixels a frame (7,800 a second)`, `${value.toFixed(1)} frames a second`)
  return { value, pace: pace.now }
})

// The cut line of a profile of a model, moved up and down by a stop: the page itself
// tells how long it took until its figures were others.
await as(base, 'keeper')
const [profile] = JSON.parse((await get('/api/v1/profiles?limit=1')).body).items
await page.goto(`${base}/profiles/${profile.id}`)
await page.getByRole('slider', { name: /Cut line/ }).waitFor()
await held('cut-line', async () => {
  const pace = new Pace()
  pace.step(5)
  const times = await page.evaluate(async () => {
    const line = document.querySelector('[role=slider]')
    const goes = document.querySelector('[data-testid=goes]')
    const times = []
    const press = (key) => line.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
    press('End')
    for (let i = 0; i < 40; i++) {
      await new Promise((resolve) => setTimeout(resolve, 100)) // as fast as somebody presses
      const told = new Promise((resolve, reject) => {
        setTimeout(() => reject(new Error(`the figures stay at ${goes.textContent}`)), 5000)
        const seen = new MutationObserver(() => (seen.disconnect(), resolve(performance.now())))
        seen.observe(goes, { subtree: true, childList: true, characterData: true })
      })
      const start = performance.now()
      press(i % 2 ? 'ArrowDown' : 'ArrowUp')
      times.push((await told) - start)
    }
    return times
  })
  pace.step(5)
  const [value, worst] = [quantile(times, 0.5), quantile(times, 0.95)]
  say('the cut line of a profile, moved by a stop', `median ${value.toFixed(1)} ms, p95 ${worst.toFixed(1)} ms until new figures`)
  return { value, pace: pace.now }
})
await browser.close()
