// Says which ten tests took longest and, last of all, which failed and why, of
// what scripts/test has noted in a folder: lines of JSON of the Go tests, and
// Playwright's own report of the others.
//
//	node scripts/testing/summary.mjs FOLDER
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { stripVTControlCharacters } from 'node:util'

const [folder] = process.argv.slice(2)
const tests = [] // { seconds, name, failed?: what it said }
const most = 25 // lines of what a failed test said

function collect(suite) {
  for (const spec of suite.specs ?? [])
    for (const { projectName, results } of spec.tests)
      for (const { duration, status, errors } of results) {
        const failed = ['passed', 'skipped'].includes(status) ? undefined : [status, ...errors.map((e) => `${e.message}\n${e.snippet ?? ''}`)].join('\n')
        tests.push({ seconds: duration / 1000, name: `[${projectName}] ${spec.file}: ${spec.title}`, failed })
      }
  for (const inner of suite.suites ?? []) collect(inner)
}

for (const file of readdirSync(folder)) {
  const text = () => readFileSync(join(folder, file), 'utf8')
  if (file.endsWith('.jsonl')) for (const line of text().trim().split('\n')) tests.push(JSON.parse(line))
  else if (file.endsWith('.json')) JSON.parse(text()).suites.forEach(collect)
}
tests.sort((a, b) => b.seconds - a.seconds)
console.log(`the slowest of ${tests.length} tests`)
for (const { seconds, name } of tests.slice(0, 10)) console.log(`${seconds.toFixed(1).padStart(8)} s  ${name}`)
for (const { name, failed } of tests.filter((t) => t.failed !== undefined)) {
  const lines = stripVTControlCharacters(failed).split('\n').filter((l) => l.trim())
  console.log(`failed: ${name}`)
  for (const line of lines.slice(0, most)) console.log(`    ${line}`)
  if (lines.length > most) console.log(`    and ${lines.length - most} more lines above`)
}
