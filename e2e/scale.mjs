// Measures the Ledger, search and the Dossier over the generated catalogue
// (scripts/catalogue.sql): how long the server takes, what the same question
// costs the database by itself, and jq and grep over the catalogue as a file; and
// how fast figures are made anew.
//
//	node e2e/scale.mjs URL DATABASE FOLDER
import { execFileSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'

import { as, get, held, keptAndAnew, p95, quantile, say, send } from './asking.mjs'
import { Pace } from './pace.mjs'

const [base, database, folder] = process.argv.slice(2)
await as(base, 'keeper')

const found = JSON.parse((await get('/api/v1/makers')).body).items
const models = []
for (const maker of found.slice(0, 12))
  for (const model of JSON.parse((await get(`/api/v1/makers/${maker.slug}/models`)).body).items.slice(0, 24 / Math.min(found.length, 12)))
    models.push(`maker=${maker.slug}&model=${model.slug}`)
const ledger = (scope, more = {}) => `/api/v1/ledger?${scope}&${new URLSearchParams(more)}`
const sorts = ['name', 'load', 'ceiling', 'standing', 'trials', 'builds', 'newest']
await keptAndAnew(
  'Ledger of a model, each order',
  sorts.flatMap((sort) => models.slice(0, 6).map((m) => ledger(m, { sort }))),
  'ledger-orders',
  database,
)
const groups = ['origin', 'namespace', 'load', 'function', 'maker', 'none']
await keptAndAnew(
  'Ledger of a model, each grouping',
  groups.flatMap((group) => models.slice(0, 6).map((m) => ledger(m, { group }))),
  'ledger-groups',
  database,
)
const fields = [
  'name:camera',
  'label:kamera',
  'alias:x',
  'maker:5',
  'model:3',
  'build:1.0',
  'origin:partner',
  'function:camera',
  'role:browser',
  'load:loose',
]
fields.push('standing:thin', 'ceiling<50%', 'trials>3', 'method:disable', 'outcome:fault', 'back:restart', 'in:quiet', 'changed>2026-01-01')
await p95(
  'Ledger of a model, each field of the filter',
  fields.flatMap((q) => models.slice(0, 4).map((m) => ledger(m, { q }))),
  { id: 'ledger-filters' },
)

const typed = ['camera', 'kamera', 'wallet', 'printer', 'gesundheit']
  .flatMap((w) => [1, 2, 3, 4, w.length].map((n) => w.slice(0, n)))
  .concat('camra', 'walet')
await keptAndAnew(
  'search as you type, in a model',
  typed.map((q, i) => ledger(models[i % models.length], { q, limit: 100 })),
  'search-model',
  database,
)
await keptAndAnew(
  'search as you type, everywhere',
  typed.map((q) => ledger('', { q, limit: 100 })),
  'search-everywhere',
  database,
)
const names = JSON.parse((await get(ledger(models[3]))).body).rows.map((r) => r.name)
await p95(
  'Dossier',
  names.filter((_, i) => i % 8 === 0).map((n) => `/api/v1/packages/${n}?${models[3]}`),
  { id: 'dossier' },
)

// The database by itself: the packages that a word is written of, by the index,
// in one connection.
const sql = ['cam', 'kamera', 'wallet', 'printer'].map((w) => `select count(*) from package_words where names like '%${w}%' or said like '%${w}%';`)
const timing = execFileSync(
  'psql',
  [
    database,
    '-qAt',
    '-c',
    "set pg_trgm.strict_word_similarity_threshold = '0.39'",
    '-c',
    '\\timing on',
    ...sql.concat(sql).flatMap((q) => ['-c', q]),
  ],
  { encoding: 'utf8' },
)
const alone = [...timing.matchAll(/Time: ([\d.]+) ms/g)].map((m) => Number(m[1])).slice(sql.length)
say('the same words in PostgreSQL alone, everywhere', `median ${quantile(alone, 0.5).toFixed(1)} ms, worst ${quantile(alone, 1).toFixed(1)} ms`)

const file = join(folder, 'catalogue.json')
writeFileSync(file, (await get('/api/v1/ledger/export?format=json')).body)
for (const [name, command, args] of [
  ['jq, the packages whose label holds "kamera"', 'jq', ['-c', '[.rows[] | select((.name + .label) | test("kamera"; "i"))] | length', file]],
  ['grep, the lines that hold "kamera"', 'grep', ['-ic', 'kamera', file]],
]) {
  try {
    const start = performance.now()
    execFileSync(command, args)
    say(name, `${(performance.now() - start).toFixed(0)} ms`)
  } catch (e) {
    if (e.code === 'ENOENT') say(name, `${command} is not installed`)
    else if (e.status !== 1) throw e // 1: grep found nothing
  }
}

// All figures anew, as the keeper does it.
const count = (what) => Number(execFileSync('psql', [database, '-qAtc', what], { encoding: 'utf8' }))
const trials = count('select count(*) from trials')
await held('all-figures', async () => {
  const { body, etag } = await get('/api/v1/yardstick')
  const yardstick = JSON.parse(body)
  yardstick.transfer.sameMaker = yardstick.transfer.sameMaker === 0.2 ? 0.15 : 0.2
  const pace = new Pace()
  pace.step(5)
  const seconds = (await send('PUT', '/api/v1/yardstick', yardstick, { 'if-match': etag })).took / 1000
  pace.step(5)
  const value = trials / seconds
  const figures = count('select count(*) from figures')
  say('all figures made anew and stored', `${seconds.toFixed(1)} s for ${trials} trials, ${value.toFixed(0)} trials a second, ${figures} figures`)
  return { value, pace: pace.now }
})
