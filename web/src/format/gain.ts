// What is measured of phones, and how its numbers are written.
import type { Schemas } from '@/api/client'
import { megabytes } from './numbers'

// Everything that phones are measured by, in the order in which people care, with
// what it is called and how much of it is written.
export const quantities = {
  memory: { word: 'Memory to be had', write: megabytes, more: true },
  start: { word: 'Ready after a start', write: (n: number) => `${n.toFixed(1)} s`, more: false },
  wakeups: { word: 'Woken by alarms', write: (n: number) => `${n.toFixed(1)} an hour`, more: false },
  processor: { word: 'Computing, on battery', write: (n: number) => `${(n / 1000).toFixed(1)} s an hour`, more: false },
  traffic: { word: 'Traffic, on battery', write: (n: number) => `${megabytes(n)} an hour`, more: false },
  opening: { word: 'Opening a screen', write: (n: number) => `${Math.round(n)} ms`, more: false },
  late: { word: 'Drawn late', write: (n: number) => `${n.toFixed(1)} %`, more: false },
  processes: { word: 'Processes', write: (n: number) => String(Math.round(n)), more: false },
  services: { word: 'Services', write: (n: number) => String(Math.round(n)), more: false },
  jobs: { word: 'Jobs that wait', write: (n: number) => String(Math.round(n)), more: false },
  data: { word: 'Room for data', write: megabytes, more: true },
  system: { word: 'Room in the image', write: megabytes, more: true },
} as const
export type Quantity = keyof typeof quantities
export const quantityNames = Object.keys(quantities) as Quantity[]

// gained writes what a phone has more, or does less of: with the sign that it has on
// the phone.
export function gained(q: Quantity, by: number): string {
  const { write, more } = quantities[q]
  const text = write(Math.abs(by))
  if (text === write(0)) return 'as before'
  return `${by > 0 === more ? '+' : '−'}${text}`
}

// figure writes what a figure comes to, in a sentence without its end.
export function figure(q: Quantity, f: Schemas['Figure']): string {
  const { write, more } = quantities[q]
  if (f.verdict === 'too-few') return 'too few phones to say; six are needed'
  if (f.verdict === 'none') return 'no measurable gain'
  const side = f.verdict === 'gain' ? 1 : -1
  const [low, high] = [f.low, f.high].map((v) => write(Math.abs(v)))
  const words = { gain: more ? 'more' : 'less', loss: more ? 'less' : 'more' }[f.verdict]
  return `${write(Math.abs(f.median))} ${words}, between ${side > 0 ? low : high} and ${side > 0 ? high : low}`
}
