// How the benchmarks ask a server and say what it took.
import { execFileSync, spawn } from 'node:child_process'
import { appendFileSync } from 'node:fs'
import { Agent, request } from 'node:http'
import { createInterface } from 'node:readline'
import { gunzipSync } from 'node:zlib'
import { chromium } from '@playwright/test'
import { flags } from './chromium.mjs'
import { Pace } from './pace.mjs'
import { calmest, missed, promises } from './promised.mjs'

let base = ''
let cookie = ''
const json = { 'content-type': 'application/json' }

// as signs in; get and send then ask as that person.
export async function as(server, login) {
  base = server
  return (cookie = await signedIn(login))
}

// signedIn begins a session and returns its cookie.
async function signedIn(login) {
  const answer = await fetch(`${base}/api/v1/session`, { method: 'POST', headers: json, body: JSON.stringify({ login, password: 'lend-a-phone' }) })
  if (!answer.ok) throw new Error(await answer.text())
  return answer.headers.get('set-cookie').split(';')[0]
}

const agent = new Agent({ keepAlive: true })

// timed asks as browsers do, and tells how long it took until all was there: what
// fetch makes of an answer would take as long again.
export async function timed(path, { method = 'GET', headers = {}, body } = {}) {
  const form = body instanceof FormData ? new Response(body) : undefined
  const content = form ? Buffer.from(await form.arrayBuffer()) : body
  const type = form ? { 'content-type': form.headers.get('content-type') } : {}
  const start = performance.now()
  const answer = await new Promise((resolve, reject) => {
    const asked = request(base + path, { agent, method, headers: { cookie, 'accept-encoding': 'gzip', ...type, ...headers } }, resolve)
    asked.on('error', reject)
    asked.end(content)
  })
  const chunks = []
  for await (const chunk of answer) chunks.push(chunk)
  const took = performance.now() - start
  const raw = Buffer.concat(chunks)
  const text = (answer.headers['content-encoding'] === 'gzip' ? gunzipSync(raw) : raw).toString()
  if (answer.statusCode >= 300) throw new Error(`${path}: ${answer.statusCode} ${text.slice(0, 500)}`)
  return { took, body: text, etag: answer.headers.etag }
}

export const get = (path) => timed(path, {})
export const send = (method, path, body, headers = {}) => timed(path, { method, headers: { ...json, ...headers }, body: JSON.stringify(body) })

export const say = (what, value) => console.log(`${what.padEnd(62)} ${value}`)
export const quantile = (list, q) => list.sort((a, b) => a - b)[Math.min(Math.floor(list.length * q), list.length - 1)]

// launched is how the browser starts that measurements are made with.
export const launched = { executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: flags }
export const browser = () => chromium.launch(launched)

// figure notes a measured figure for the table at the end, where one is made: its
// value, the median beside it where it is another quantile, and the pace of the machine
// meanwhile; see promised.mjs.
export function figure(id, measured) {
  const { BENCH_FIGURES: file, BENCH_SIZE: size } = process.env
  if (file) appendFileSync(file, JSON.stringify({ id, size: Number(size ?? 0), ...measured }) + '\n')
}

// held measures a figure, and where it falls short twice more: the calmest counts.
// Each measuring is told how many there were, and says what it found.
export async function held(id, measure) {
  const promise = promises.find((p) => p.id === id)
  const found = []
  do found.push(await measure(found.length))
  while (missed(promise, found.at(-1)) !== 1 && found.length < 3)
  figure(id, calmest(promise, found))
}

// enough is how many answers it takes to tell a p95, or about what it is: of what is
// no figure of the table, and after writes, each of which takes longer than what is
// measured.
const quick = Boolean(process.env.BENCH_QUICK)
const enough = quick ? 20 : 60
const few = quick ? 10 : 40

// p95 asks each path once to warm up, then so many rounds or more, until there are
// enough answers; with an id it is a figure of the table. Before each asking
// something is done that nobody measures.
export async function p95(what, paths, { ask = get, id = '', before = undefined, rounds = 3 } = {}) {
  const least = id && !before ? Math.max((quick ? 0 : rounds) * paths.length, enough) : few
  async function measure() {
    const times = []
    const pace = new Pace()
    for (const path of paths) await ask(path)
    for (let i = 0; i < least; i++) {
      await before?.()
      times.push((await ask(paths[i % paths.length])).took)
      pace.step()
    }
    const [value, median] = [quantile(times, 0.95), quantile(times, 0.5)]
    say(what, `p95 ${value.toFixed(1)} ms, median ${median.toFixed(1)} ms (${times.length} requests, at ${pace.now.toFixed(1)})`)
    return { value, median, pace: pace.now }
  }
  await (id ? held(id, measure) : measure())
}

// keptAndAnew measures what a server keeps for as long as nobody writes to what it
// is made of: as it is asked for again, and each time after somebody's trial was
// accepted, of a package that some phone has, once nothing more has been asked of the
// database for a tenth of a second.
export async function keptAndAnew(what, paths, id, database) {
  await p95(what, paths, { id })
  await p95(`${what}, after a write`, paths, { id: `${id}-anew`, before: await accepting(database) })
}

// tried is what the next trials are of: packages of builds by chance, the same in
// every run.
const tried = []

// accepting readies accepting one trial after another, and returns what does so.
async function accepting(database) {
  if (!tried.length) {
    const some = 'select package_id, build_id from presence tablesample bernoulli (5) repeatable (7)'
    const sql = `select p.name, x.build_id from (${some}) x join packages p on p.id = x.package_id order by md5(p.name || x.build_id) limit 1000`
    tried.push(...execFileSync('psql', [database, '-qAtF', ' ', '-c', sql], { encoding: 'utf8' }).trim().split('\n'))
    const rules = await get('/api/v1/review-rules')
    await send('PUT', '/api/v1/review-rules', { lenient: 1, lowering: 1, newcomer: 1, firstChanges: 0, alone: false }, { 'if-match': rules.etag })
  }
  const author = { cookie: await signedIn('author') }
  const answered = asking(database)
  const others = "datname = current_database() and pid <> pg_backend_pid() and backend_type = 'client backend'"
  const lately = "(state = 'active' or state_change > clock_timestamp() - interval '100 ms')"
  const busy = `select exists (select from pg_stat_activity where ${others} and ${lately})`
  return async () => {
    const [name, build] = tried.shift().split(' ')
    const value = {
      build,
      phone: `called:${tried.length}`,
      method: 'remove-for-user',
      outcome: 'clean',
      persistence: 'held',
      recovery: 'not-tried',
      watchedDays: 9,
    }
    const change = { title: 'measured', edits: [{ package: name, field: 'trial', value }] }
    const { id } = JSON.parse((await send('POST', '/api/v1/changes/whole', change, author)).body)
    const { etag, body } = await get(`/api/v1/changes/${id}`)
    const decisions = JSON.parse(body).review.map((e) => ({ edit: e.id, verdict: 'accepted' }))
    await send('POST', `/api/v1/changes/${id}/decisions`, { decisions }, { 'if-match': etag })
    while ((await answered(busy)) === 't') await new Promise((resolve) => setTimeout(resolve, 10))
  }
}

// asking returns what answers statements over one connection, with one value.
function asking(database) {
  const psql = spawn('psql', [database, '-qAt'], { stdio: ['pipe', 'pipe', 'inherit'] })
  const lines = createInterface({ input: psql.stdout })[Symbol.asyncIterator]()
  for (const held of [psql, psql.stdin, psql.stdout]) held.unref() // it ends with this process
  return async (sql) => {
    psql.stdout.ref()
    psql.stdin.write(`${sql};\n`)
    const { value, done } = await lines.next()
    psql.stdout.unref()
    if (done) throw new Error(`psql ended at ${sql}`)
    return value
  }
}
