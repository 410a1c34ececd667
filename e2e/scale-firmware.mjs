// Measures firmware over time over the generated catalogue: comparing two
// builds, how releases stand, the Desk, coverage, and how long it takes from a
// new firmware's first capture until everything that it means is known.
//
//	node e2e/scale-firmware.mjs URL DATABASE
import { execFileSync } from 'node:child_process'

import { as, get, held, keptAndAnew, p95, quantile, say, timed } from './asking.mjs'
import { Pace } from './pace.mjs'

const [base, database] = process.argv.slice(2)
await as(base, 'keeper')
const sql = (text) => execFileSync('psql', [database, '-qAtc', text], { encoding: 'utf8' }).trim()

// Models with a release, and their builds from old to new: of eight of them everything
// is asked, and firmware may arrive for all.
const all = sql(
  `select m.slug || ' ' || d.slug from profiles p join models d on d.id = p.model_id join makers m on m.id = d.maker_id order by d.slug limit 21`,
)
  .split('\n')
  .map((line) => line.split(' '))
const timelines = await Promise.all(
  all.map(async ([maker, model]) => JSON.parse((await get(`/api/v1/makers/${maker}/models/${model}/timeline`)).body)),
)
const [models, known] = [all.slice(0, 8), timelines.slice(0, 8)]
await keptAndAnew('the Desk', Array(6).fill('/api/v1/desk'), 'desk', database)
await p95('the week', ['/api/v1/week'])
await p95('coverage', Array(6).fill('/api/v1/coverage'), { id: 'coverage' })
const compare = (from, to) => `/api/v1/comparison?from=build:${from.id}&to=build:${to.id}`
await keptAndAnew(
  "comparing a model's builds with one another",
  known.flatMap(({ builds: b }) => [compare(b[0], b[1]), compare(b[0], b.at(-1)), compare(b.at(-1), b[0])]),
  'comparing',
  database,
)
await p95(
  'comparing builds of different makers',
  known.slice(1).map(({ builds }) => compare(known[0].builds[0], builds[0])),
)
await p95(
  'the time line of a model',
  models.map(([maker, model]) => `/api/v1/makers/${maker}/models/${model}/timeline`),
)
await p95(
  'what is worse known on the newest build',
  known.map(({ builds: b }) => `/api/v1/builds/${b.at(-1).id}/carried/${b.at(-2).id}`),
)
await p95(
  'a release on a build, with a new draft and what would prove it',
  known.map(({ builds, releases }) => `/api/v1/releases/${releases[0].id}/builds/${builds.at(-1).id}`),
)

// A phone of the newest model with a firmware that nobody has captured: a
// tenth of what its model shipped is gone, a tenth is new.
async function captured(number, [maker, model], { builds }) {
  const had = JSON.parse((await get(`/api/v1/ledger?maker=${maker}&model=${model}&build=${builds.at(-1).id}&limit=500`)).body).rows.map((r) => r.name)
  const [manufacturer, device] = sql(
    `select m.manufacturer || ' ' || d.device from models d join makers m on m.id = d.maker_id where m.slug = '${maker}' and d.slug = '${model}'`,
  ).split(' ')
  const names = had.map((name, i) => (i % 10 ? name : `com.measured.n${number}.p${i}`))
  const capture = {
    format: 'roster-capture/1',
    identity: {
      fingerprint: `maker/model/device:17/M.${number}/6.0:user/release-keys`,
      manufacturer,
      device,
      model,
      marketName: model,
      form: 'phone',
      release: '17',
      sdk: 37,
      securityPatch: '2026-11-05',
      incremental: '6.0',
    },
    phone: {},
    packages: names.map((name, i) => ({
      name,
      system: true,
      installed: true,
      enabled: 'default',
      versionCode: 60 + i,
      versionName: '6.0',
      path: `/system/app/n${i}`,
      partition: 'system',
      requests: ['android.permission.INTERNET'],
    })),
    reports: ['getprop', 'dumpsys package'].map((section) => ({ section, lines: 1, bytes: 1, complete: true })),
    complete: true,
  }
  const form = new FormData()
  form.append('files', new Blob([JSON.stringify(capture)], { type: 'application/json' }), 'capture.json')
  return form
}
// What came before it is not measured with it: coverage is counted some time after
// trials were accepted.
while (sql('select count(*) from models where cover_stale') !== '0') await new Promise((r) => setTimeout(r, 100))
const atOnce = 7
await held('first-capture', async (again) => {
  const first = []
  const pace = new Pace()
  for (const [i, model] of all.slice(atOnce * again, atOnce * (again + 1)).entries()) {
    const timeline = timelines[atOnce * again + i]
    const form = await captured(`${process.pid}n${again}n${i}`, model, timeline)
    pace.step(5)
    const stored = await timed('/api/v1/captures', { method: 'POST', body: form })
    const desk = await get('/api/v1/desk')
    const { items } = JSON.parse(desk.body)
    const line = items.find((l) => l.text.startsWith(`Firmware 6.0 of ${timeline.builds[0].modelName} arrived`))
    if (!line) throw new Error('the firmware is not on the Desk')
    first.push(stored.took + desk.took)
    say(
      `a firmware's first capture, until the Desk tells of it`,
      `${first.at(-1).toFixed(0)} ms (stored, compared and held against the release after ${stored.took.toFixed(0)} ms)`,
    )
  }
  return { value: quantile(first, 0.5), pace: pace.now }
})
