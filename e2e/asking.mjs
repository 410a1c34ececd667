// How the benchmarks ask a server and say what it took.
import { spawn } from 'node:child_process'
import { appendFileSync } from 'node:fs'
import { createInterface } from 'node:readline'
import { chromium } from '@playwright/test'
import { flags } from './chromium.mjs'

let base = ''
let cookie = ''
const json = { 'content-type': 'application/json' }

// as signs in; get and post then ask as that person.
export async function as(server, login) {
  const answer = await fetch(`${server}/api/v1/session`, { method: 'POST', headers: json, body: JSON.stringify({ login, password: 'lend-a-phone' }) })
  if (!answer.ok) throw new Error(await answer.text())
  base = server
  return (cookie = answer.headers.get('set-cookie').split(';')[0])
}

export async function timed(path, request) {
  const start = performance.now()
  const answer = await fetch(base + path, { ...request, headers: { cookie, ...request.headers } })
  const body = await answer.text()
  if (!answer.ok) throw new Error(`${path}: ${answer.status} ${body.slice(0, 500)}`)
  return { took: performance.now() - start, body, etag: answer.headers.get('etag') }
}

export const get = (path) => timed(path, {})
export const send = (method, path, body, headers = {}) => timed(path, { method, headers: { ...json, ...headers }, body: JSON.stringify(body) })

export const say = (what, value) => console.log(`${what.padEnd(62)} ${value}`)
export const quantile = (list, q) => list.sort((a, b) => a - b)[Math.min(Math.floor(list.length * q), list.length - 1)]

// launched is how the browser starts that measurements are made with.
export const launched = { executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: flags }
export const browser = () => chromium.launch(launched)

// figure notes a measured figure for the table at the end, where one is made: see
// promises.mjs.
export function figure(id, value) {
  const { BENCH_FIGURES: file, BENCH_SIZE: size } = process.env
  if (file) appendFileSync(file, JSON.stringify({ id, size: Number(size ?? 0), value }) + '\n')
}

// enough is how many answers it takes to tell a p95.
const enough = 60

// p95 asks each path once to warm up, then three times or more, until there are
// enough answers; with an id it is a figure of the table. Before each asking
// something is done that nobody measures.
export async function p95(what, paths, { ask = get, id = '', before = () => {} } = {}) {
  const times = []
  for (const path of paths) await ask(path)
  for (let i = 0; i < 3 || times.length < enough; i++) {
    for (const path of paths) {
      await before()
      times.push((await ask(path)).took)
    }
  }
  if (id) figure(id, quantile(times, 0.95))
  say(what, `p95 ${quantile(times, 0.95).toFixed(1)} ms, median ${quantile(times, 0.5).toFixed(1)} ms (${times.length} requests)`)
}

// keptAndAnew measures what a server keeps for as long as nobody writes to what it
// is made of: as it is asked for again, and as it is made after somebody wrote.
export async function keptAndAnew(what, paths, id, database) {
  await p95(what, paths, { id })
  // One connection for all: what beginning and ending one takes would be measured
  // with whatever comes next.
  const psql = spawn('psql', [database, '-qAt'], { stdio: ['pipe', 'pipe', 'inherit'] })
  const lines = createInterface({ input: psql.stdout })[Symbol.asyncIterator]()
  const before = async () => {
    psql.stdin.write(`update packages set name = name where false; select 'written';\n`)
    const { value } = await lines.next()
    if (value !== 'written') throw new Error(`nothing could be written: ${value}`)
  }
  await p95(`${what}, after a write`, paths, { id: `${id}-anew`, before })
  psql.stdin.end()
}
