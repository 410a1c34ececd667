// The table that says whether what is promised holds: one row a figure, with both
// sizes of the generated catalogue beside each other, and the machine's pace meanwhile.
// Ends with 1 where a figure falls short.
//
//	node e2e/promises.mjs FIGURES
import { readFileSync } from 'node:fs'
import { growth, missed, promises } from './promised.mjs'

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
  const faults = []
  for (const m of judged) {
    const by = missed(p, m)
    if (by !== 1) faults.push(`${write(by)} ${by > 1 ? '× too much' : 'of it'}${judged.length > 1 ? ` at size ${m.size}` : ''}`)
  }
  const grown = p.grows && !whole && judged.length > 1 ? growth(p, judged[0], judged.at(-1)) : 1
  if (grown > (p.grows ?? 1)) faults.push(`grows ${write(grown)} ×, not ${p.grows}`)
  if (faults.length) short++
  rows.push([
    p.what,
    `${p.most === undefined ? '≥' : '≤'} ${write(p.most ?? p.least)} ${p.unit}`,
    ...(sizes.length ? sized.map((m, i) => write((m ?? (i === sized.length - 1 ? whole : undefined))?.value)) : [write(whole.value)]),
    judged.map((m) => m.pace?.toFixed(1) ?? '').join(' '),
    faults.join('; ') || 'holds',
  ])
}
const heads = ['figure', 'promise', ...(sizes.length ? sizes.map((s) => `size ${s}`) : ['now']), 'at', 'verdict']
console.log(`| ${heads.join(' | ')} |\n|${heads.map(() => ' --- |').join('')}`)
for (const row of rows) console.log(`| ${row.join(' | ')} |`)
if (short) console.log(`\n${short} of ${rows.length} figures fall short.`)
process.exitCode = short ? 1 : 0
