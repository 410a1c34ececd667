// The cut line of a profile.

// stopAfter is where the cut line comes to rest, so many stops on from where it
// stands; it may stand between two. Stops ascend from 0.
export function stopAfter(stops: readonly number[], now: number, by: number): number {
  const at = stops.findLastIndex((s) => s <= now)
  return stops[Math.max(0, Math.min(at + by, stops.length - 1))] ?? now
}

// Order is how the packages of a profile stand in its list.
export type Order = 'safest' | 'worth'

interface Ranked {
  worth: number
  goes: boolean
}

// inOrder puts rows in an order: as they come, what is safest first, or by what they
// bring for their harm. What goes stands before what stays either way.
export function inOrder<T extends Ranked>(rows: readonly T[], order: Order): readonly T[] {
  return order === 'safest' ? rows : [...rows].sort((a, b) => Number(b.goes) - Number(a.goes) || b.worth - a.worth)
}

// reused are rows as they are now, those that have not changed as they were before: what
// is drawn of them need not be drawn again.
export function reused<T extends { package: string }>(before: readonly T[], now: readonly T[]): T[] {
  const known = new Map(before.map((r) => [r.package, r]))
  return now.map((r) => {
    const was = known.get(r.package)
    return was && alike(was, r) ? was : r
  })
}

function alike(a: object, b: object): boolean {
  const [was, is] = [Object.entries(a), b as Record<string, unknown>]
  return (
    was.length === Object.keys(b).length &&
    was.every(
      ([key, value]) =>
        value === is[key] || (typeof value === 'object' && JSON.stringify(value) === JSON.stringify(is[key])),
    )
  )
}
