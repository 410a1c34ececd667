// Says which ten tests took longest, of what scripts/test has noted in a folder:
// lines of JSON of the Go tests, and Playwright's own report of the others.
//
//	node scripts/testing/slowest.mjs FOLDER
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

const [folder] = process.argv.slice(2)
const tests = []

function collect(suite) {
  for (const spec of suite.specs ?? [])
    for (const test of spec.tests)
      for (const result of test.results) tests.push({ seconds: result.duration / 1000, name: `${spec.file}: ${spec.title}` })
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
