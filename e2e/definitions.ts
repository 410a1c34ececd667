// The evidence definitions, written a second time and without the program: what
// is on screen must be what these say.

export interface Trial {
  phone: string
  person: string
  maker: string
  model: string
  version: string
  carrier: string
  release: string
  method: string
  outcome: string
}
export interface Place {
  maker: string
  model: string
  version: string
  carrier: string
  release: string
}

const harms = ['function-lost', 'fault', 'no-start']
const severity = (o: string) => harms.indexOf(o)

function transfer(t: Place, at: Place): number {
  if (t.maker !== at.maker) return 0.1
  const release = t.release === at.release
  if (t.model !== at.model) return release ? 0.3 : 0.2
  if (t.version === at.version && t.carrier === at.carrier) return 1
  return release ? 0.8 : 0.5
}

// figures of removing for the user, seen from one build.
export function figures(trials: Trial[], at: Place) {
  const merged = new Map<string, Trial>()
  for (const t of trials) {
    if (t.method !== 'remove-for-user' || t.outcome === 'refused') continue
    const key = [t.phone, t.maker, t.model, t.version, t.carrier].join('|')
    const known = merged.get(key)
    if (!known || severity(t.outcome) > severity(known.outcome)) merged.set(key, t)
  }
  const counted = [...merged.values()].map((t) => ({ ...t, tau: transfer(t, at) })).sort((a, b) => b.tau - a.tau)
  const nth = new Map<string, number>()
  let harmed = 0
  let clean = 0
  for (const t of counted) {
    if (severity(t.outcome) >= 0) harmed += t.tau
    else {
      nth.set(t.person, (nth.get(t.person) ?? 0) + 1)
      clean += t.tau / Math.sqrt(nth.get(t.person)!)
    }
  }
  const ceiling = clean > 0 ? quantile(0.95, harmed + 1, clean) : 1
  const floor = harmed > 0 ? quantile(0.05, harmed, clean + 1) : 0
  const near = counted.filter((t) => t.tau >= 0.5)
  const contested = near.some((t) => severity(t.outcome) >= 0) && near.some((t) => t.outcome === 'clean') && floor < 0.5
  const people = new Set(counted.map((t) => t.person)).size
  const phones = new Set(counted.map((t) => t.phone)).size
  const standing = !counted.length ? 'untried' : contested ? 'contested' : ceiling <= 0.15 || floor >= 0.5 ? 'firm' : ceiling - floor > 0.5 ? 'thin' : 'fair'
  const saw = (o: string, least = 0) => counted.some((t) => t.outcome === o && t.tau >= least)
  const suggested = saw('no-start', 0.5)
    ? 'Load-bearing'
    : saw('fault')
      ? 'Tied in'
      : saw('function-lost')
        ? 'Leaned on'
        : ceiling <= 0.3 && people >= 2 && phones >= 3
          ? 'Loose'
          : 'Unproven'
  return { ceiling, floor, standing, suggested, people, phones }
}

// quantile of the beta distribution, by halving: slow and plain.
function quantile(p: number, a: number, b: number): number {
  let low = 0
  let high = 1
  for (let i = 0; i < 60; i++) {
    const mid = (low + high) / 2
    if (cumulative(mid, a, b) < p) low = mid
    else high = mid
  }
  return (low + high) / 2
}

// cumulative beta distribution: the density summed up by Simpson's rule after
// x = sin² t, which has no poles for a, b ≥ 1/2, over the whole of it.
function cumulative(x: number, a: number, b: number): number {
  const density = (t: number) => Math.pow(Math.sin(t), 2 * a - 1) * Math.pow(Math.cos(t), 2 * b - 1)
  const area = (to: number) => {
    const n = 2000
    let sum = density(1e-12) + density(to)
    for (let i = 1; i < n; i++) sum += density((to * i) / n) * (i % 2 ? 4 : 2)
    return (sum * to) / n / 3
  }
  return area(Math.asin(Math.sqrt(x))) / area(Math.PI / 2 - 1e-12)
}
