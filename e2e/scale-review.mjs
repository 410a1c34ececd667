// Measures reviewing over the generated catalogue: the knock-on of a change,
// opening a large one and accepting it.
//
//	node e2e/scale-review.mjs URL
import { as, get, held, p95, quantile, say, send } from './asking.mjs'
import { Pace } from './pace.mjs'

const [base] = process.argv.slice(2)

await as(base, 'keeper')
const rules = await get('/api/v1/review-rules')
await send('PUT', '/api/v1/review-rules', { lenient: 1, lowering: 1, newcomer: 1, firstChanges: 0, alone: false }, { 'if-match': rules.etag })
const [maker] = JSON.parse((await get('/api/v1/makers')).body).items
const [model] = JSON.parse((await get(`/api/v1/makers/${maker.slug}/models`)).body).items
const [build] = JSON.parse((await get(`/api/v1/makers/${maker.slug}/models/${model.slug}/builds`)).body).items
const packages = JSON.parse((await get(`/api/v1/ledger?maker=${maker.slug}&model=${model.slug}&limit=500`)).body).rows.map((r) => r.name)
// The platform's own packages ship everywhere: they touch every profile.
const platform = packages.filter((p) => p.startsWith('com.android.'))

const trial = (name, phone) => ({
  package: name,
  field: 'trial',
  value: { build: build.id, phone: `called:${phone}`, method: 'remove-for-user', outcome: 'clean', persistence: 'held', recovery: 'not-tried', watchedDays: 9 },
})
const load = (name) => ({ package: name, field: 'load', value: { load: 'loose' }, reason: 'measured' })
const about = (name) => ({ package: name, field: 'description', value: `Measured ${Math.random()}.`, reason: 'measured' })

async function sent(edits) {
  await as(base, 'author')
  const { id } = JSON.parse((await send('POST', '/api/v1/changes/whole', { title: 'measured', edits })).body)
  await as(base, 'keeper')
  return id
}
const fifty = await sent(platform.slice(0, 50).map((name, i) => (i % 2 ? load(name) : trial(name, 'a'))))
const effect = JSON.parse((await send('POST', `/api/v1/changes/${fifty}/knock-on`, {})).body)
await p95(`knock-on of 50 edits, ${effect.profiles.length + effect.untouched} profiles`, Array(10).fill(`/api/v1/changes/${fifty}/knock-on`), {
  ask: (path) => send('POST', path, {}),
  id: 'knock-on',
})
const mixed = (names, phone) => Array.from({ length: 500 }, (_, i) => [trial, load, about][i % 3](names[i % names.length], `${phone}${i}`))
const large = await sent(mixed(packages, 'b'))
await p95('opening a change of 500 edits', [`/api/v1/changes/${large}`], { id: 'opening' })
await p95('knock-on of 500 edits', [`/api/v1/changes/${large}/knock-on`], { ask: (path) => send('POST', path, {}) })
await p95('the queue', ['/api/v1/changes?state=sent&limit=200'])
// accepting has three changes of the same packages sent and accepted one after another,
// and returns the median.
async function accepting(what, names, phone) {
  const pace = new Pace()
  const times = []
  for (const which of ['x', 'y', 'z']) {
    const id = await sent(mixed(names, phone + which))
    const { etag, body } = await get(`/api/v1/changes/${id}`)
    const decisions = JSON.parse(body).review.map((e) => ({ edit: e.id, verdict: 'accepted' }))
    pace.step(5)
    times.push((await send('POST', `/api/v1/changes/${id}/decisions`, { decisions }, { 'if-match': etag })).took)
    pace.step(5)
    say(`accepting ${decisions.length} edits, ${what}`, `${times.at(-1).toFixed(0)} ms`)
  }
  return { value: quantile(times, 0.5), pace: pace.now }
}
const own = packages.filter((p) => !p.startsWith('com.android.'))
await held('accepting-wide', async (again) => accepting('a tenth of them trials of what ships everywhere', packages, `b${again}`))
await held('accepting', async (again) => accepting("of a model's own packages", own, `c${again}`))
