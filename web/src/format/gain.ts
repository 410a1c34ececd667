// What is measured of phones, and how its numbers are written.
import type { Schemas } from '@/api/client'

const mb = (n: number) => (n / 1e6).toFixed(1)
const whole = (n: number) => String(Math.round(n))
const one = (n: number) => n.toFixed(1)

interface Measure {
  word: string
  // num writes the number, in the unit that follows it.
  num: (n: number) => string
  unit: string
  // more is true for what is better the more there is of it.
  more: boolean
}

// Everything that phones are measured by, in the order in which people care.
export const quantities = {
  memory: { word: 'Memory to be had', num: mb, unit: ' MB', more: true },
  start: { word: 'Ready after a start', num: one, unit: ' s', more: false },
  wakeups: { word: 'Woken by alarms', num: one, unit: ' an hour', more: false },
  processor: { word: 'Computing, on battery', num: (n) => one(n / 1000), unit: ' s an hour', more: false },
  traffic: { word: 'Traffic, on battery', num: mb, unit: ' MB an hour', more: false },
  opening: { word: 'Opening a screen', num: whole, unit: ' ms', more: false },
  late: { word: 'Drawn late', num: one, unit: ' %', more: false },
  processes: { word: 'Processes', num: whole, unit: '', more: false },
  services: { word: 'Services', num: whole, unit: '', more: false },
  jobs: { word: 'Jobs that wait', num: whole, unit: '', more: false },
  data: { word: 'Room for data', num: mb, unit: ' MB', more: true },
  system: { word: 'Room in the image', num: mb, unit: ' MB', more: true },
} as const satisfies Record<string, Measure>
export type Quantity = keyof typeof quantities
export const quantityNames = Object.keys(quantities) as Quantity[]

// written is a quantity with its unit.
export const written = (q: Quantity, n: number) => quantities[q].num(n) + quantities[q].unit

// gained writes what a phone has more, or does less of: with the sign that it has on
// the phone.
export function gained(q: Quantity, by: number): string {
  const { num, more } = quantities[q]
  const text = written(q, Math.abs(by))
  if (num(Math.abs(by)) === num(0)) return 'as before'
  return `${by > 0 === more ? '+' : '−'}${text}`
}

// figure writes what a figure comes to, in a sentence without its end.
export function figure(q: Quantity, f: Schemas['Figure']): string {
  const { num, more } = quantities[q]
  if (f.verdict === 'too-few') return 'too few phones to say; six are needed'
  if (f.verdict === 'none') return 'no measurable gain'
  const [low, high] = [f.low, f.high].map((v) => Math.abs(v)).sort((a, b) => a - b)
  const words = { gain: more ? 'more' : 'less', loss: more ? 'less' : 'more' }[f.verdict]
  return `${written(q, Math.abs(f.median))} ${words}, between ${num(low!)} and ${num(high!)}`
}
