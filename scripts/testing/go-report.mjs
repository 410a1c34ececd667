// Turns what "go test -json" says on standard input into lines for a person: a
// line for each package, and everything that a failed test said. Keeps how long
// each test took, and why it failed, in a file, a line of JSON each, for
// summary.mjs.
//
//	go test -json ./... | node scripts/testing/go-report.mjs FILE
import { appendFileSync } from 'node:fs'
import { createInterface } from 'node:readline'

const [file] = process.argv.slice(2)
const said = new Map() // what a test or package has said so far
const seconds = (n) => `${(n ?? 0).toFixed(1)} s`

for await (const line of createInterface({ input: process.stdin })) {
  let event
  try {
    event = JSON.parse(line)
  } catch {
    console.log(line) // the go command itself
    continue
  }
  const { Action: action, Package: name, Test: test, Elapsed: elapsed, Output: output } = event
  const key = `${event.ImportPath ?? name} ${test ?? ''}`
  if (action === 'output' || action === 'build-output') said.set(key, (said.get(key) ?? '') + output)
  if (action === 'build-fail') process.stdout.write(said.get(key) ?? '')
  if (!['pass', 'fail', 'skip'].includes(action)) continue
  const failed = action === 'fail' ? (said.get(key) ?? '') : undefined
  if (failed) process.stdout.write(failed)
  said.delete(key)
  if (test) {
    if (failed !== undefined || !test.includes('/')) appendFileSync(file, JSON.stringify({ seconds: elapsed, name: `${name} ${test}`, failed }) + '\n')
    if (action === 'skip') console.log(`skipped: ${name} ${test}`)
  } else if (action !== 'skip') {
    console.log(`${action === 'pass' ? 'ok  ' : 'FAIL'} ${name} (${seconds(elapsed)})`)
  }
}
