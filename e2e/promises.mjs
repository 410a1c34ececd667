// What is promised about speed and memory, and the table that says whether it
// holds: one row a figure, with both sizes of the generated catalogue beside each
// other. What takes time is judged by the machine's pace meanwhile, see pace.mjs, which
// stands beside it. Ends with 1 where a figure falls short.
//
//	node e2e/promises.mjs FIGURES
import { readFileSync } from 'node:fs'

// grows is how many times as much ten times the data may take; a few milliseconds
// more are no growth.
const slack = 5
const promises = [
  { id: 'intake', what: 'one more capture of a known firmware, against bare COPY of its rows', most: 1.5, unit: '×' },
  { id: 'bulk', what: 'captures taken in one after another', least: 40_000, unit: 'sightings/s' },
  { id: 'first-capture', what: "a firmware's first capture, until the Desk tells of it", most: 300, unit: 'ms', grows: 1.5 },
  { id: 'ledger-orders', what: 'the Ledger of a model in any order, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-orders-anew', what: 'the Ledger of a model in any order, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-groups', what: 'the Ledger of a model in any grouping, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-groups-anew', what: 'the Ledger of a model in any grouping, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-filters', what: 'the Ledger of a model by any field of the filter, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-model', what: 'search as you type in a model, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-model-anew', what: 'search as you type in a model, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-everywhere', what: 'search as you type everywhere, p95', most: 40, unit: 'ms' },
  { id: 'search-everywhere-anew', what: 'search as you type everywhere, after a write, p95', most: 40, unit: 'ms' },
  { id: 'dossier', what: 'a Dossier, p95', most: 40, unit: 'ms' },
  { id: 'comparing', what: 'two builds of a model compared, p95', most: 50, unit: 'ms', grows: 1.5 },
  { id: 'comparing-anew', what: 'two builds of a model compared, after a write, p95', most: 50, unit: 'ms', grows: 1.5 },
  { id: 'desk', what: 'the Desk, p95', most: 60, unit: 'ms' },
  { id: 'desk-anew', what: 'the Desk, after a write, p95', most: 60, unit: 'ms' },
  { id: 'coverage', what: 'coverage, p95', most: 200, unit: 'ms' },
  { id: 'coverage-ten', what: 'coverage at ten times as many builds, p95', most: 200, unit: 'ms' },
  { id: 'knock-on', what: 'the knock-on of 50 edits on 40 profiles, p95', most: 100, unit: 'ms' },
  { id: 'opening', what: 'opening a change of 500 edits, p95', most: 300, unit: 'ms', grows: 2 },
  { id: 'accepting', what: "accepting 500 edits of a model's own packages", most: 1000, unit: 'ms', grows: 1.5 },
  { id: 'accepting-wide', what: 'accepting 500 edits, a tenth of them trials of what ships everywhere', most: 1000, unit: 'ms' },
  { id: 'all-figures', what: 'all figures made anew', least: 50_000, unit: 'trials/s' },
  { id: 'memory', what: 'the server after all this, resident', most: 200, unit: 'MB' },
  { id: 'memory-demo', what: 'the server at rest with the demo, resident', most: 100, unit: 'MB' },
  { id: 'first-rows', what: 'first rows of the Ledger in a cold browser, median', most: 800, unit: 'ms' },
  { id: 'browser-ready', what: 'a bench in a browser, from the click to its phone in the list, median', most: 1500, unit: 'ms' },
  { id: 'browser-capture', what: 'a capture of 449 packages through a browser, against the same through an adb server', most: 1.3, unit: '×' },
  { id: 'browser-run', what: 'a run of 72 removals through a browser, against the same through an adb server', most: 1.1, unit: '×' },
  { id: 'browser-memory', what: 'the worker of a browser while a dump of 4 MB is read', most: 150, unit: 'MB' },
  { id: 'scrolling', what: 'scrolling 5,000 rows', least: 57, unit: 'frames/s' },
]

const measured = readFileSync(process.argv[2], 'utf8')
  .trim()
  .split('\n')
  .map((line) => JSON.parse(line))
const sizes = [...new Set(measured.map((m) => m.size))].filter((s) => s > 0).sort((a, b) => a - b)
const write = (v) => (v === undefined ? '' : v >= 1000 ? Math.round(v).toLocaleString('en') : v >= 100 ? v.toFixed(0) : v.toFixed(v < 10 ? 2 : 1))
const rows = []
let short = 0
for (const p of promises) {
  const at = (size) => measured.filter((m) => m.id === p.id && m.size === size).at(-1)
  const whole = at(0)
  const sized = sizes.map(at)
  // A figure of a generated catalogue has to hold at every size.
  const judged = (whole ? [whole] : sized).filter((m) => m !== undefined)
  if (judged.length === 0) continue
  // What it would be on a machine that is not disturbed.
  const fair = (m) => m && (p.most === undefined ? m.value * (m.pace ?? 1) : m.value / (m.pace ?? 1))
  const faults = []
  for (const m of judged) {
    const where = judged.length > 1 ? ` at size ${m.size}` : ''
    if (p.most !== undefined && fair(m) > p.most) faults.push(`${write(fair(m) / p.most)} × too much${where}`)
    if (p.least !== undefined && fair(m) < p.least) faults.push(`${write(fair(m) / p.least)} of it${where}`)
  }
  const [small, large] = [fair(sized[0]), fair(sized.at(-1))]
  const growth = sized.length > 1 && small > 0 && large !== undefined ? large / small : undefined
  if (p.grows && growth > p.grows && large - small > slack) faults.push(`grows ${write(growth)} ×, not ${p.grows}`)
  if (faults.length) short++
  rows.push([
    p.what,
    `${p.most === undefined ? '≥' : '≤'} ${write(p.most ?? p.least)} ${p.unit}`,
    ...(sizes.length ? sized.map((m, i) => write((m ?? (i === sized.length - 1 ? whole : undefined))?.value)) : [write(whole.value)]),
    (whole ? [whole] : sized).map((m) => m?.pace?.toFixed(1) ?? '').join(' '),
    faults.join('; ') || 'holds',
  ])
}
const heads = ['figure', 'promise', ...(sizes.length ? sizes.map((s) => `size ${s}`) : ['now']), 'at', 'verdict']
console.log(`| ${heads.join(' | ')} |\n|${heads.map(() => ' --- |').join('')}`)
for (const row of rows) console.log(`| ${row.join(' | ')} |`)
if (short) console.log(`\n${short} of ${rows.length} figures fall short.`)
process.exitCode = short ? 1 : 0
