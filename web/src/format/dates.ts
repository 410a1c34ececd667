// How times are written.
import { once } from './once'

// What writes them takes milliseconds to make, which the first page must not
// wait for, and no row of a list.
const relative = once(() => new Intl.RelativeTimeFormat('en', { numeric: 'auto' }))
const days = once(() => new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }))
const moments = once(() => new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' }))

// ago says how long ago something was, roughly.
export function ago(time: string): string {
  const seconds = (Date.now() - new Date(time).getTime()) / 1000
  for (const [unit, size] of [
    ['year', 31_557_600],
    ['month', 2_629_800],
    ['week', 604_800],
    ['day', 86_400],
    ['hour', 3600],
    ['minute', 60],
  ] as const) {
    if (seconds >= size) return relative().format(-Math.floor(seconds / size), unit)
  }
  return 'just now'
}

// day is the date of a time, as 31 Mar 2026.
export function day(time: string): string {
  return days().format(new Date(time))
}

// dayOf is the day of a time on this computer's calendar, as 2026-03-31, for
// fields that take a date.
export function dayOf(time: Date): string {
  return time.toLocaleDateString('sv')
}

export function exactTime(time: string): string {
  return moments().format(new Date(time))
}
