// How times are written.
const relative = new Intl.RelativeTimeFormat('en', { numeric: 'auto' })

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
    if (seconds >= size) return relative.format(-Math.floor(seconds / size), unit)
  }
  return 'just now'
}

// day is the date of a time, as 31 Mar 2026.
export function day(time: string): string {
  return new Date(time).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
}

export function exactTime(time: string): string {
  return new Date(time).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'long' })
}
