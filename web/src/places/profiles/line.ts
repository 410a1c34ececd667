// The cut line of a profile.

// stopAfter is where the cut line comes to rest, so many stops on from where it
// stands; it may stand between two. Stops ascend from 0.
export function stopAfter(stops: readonly number[], now: number, by: number): number {
  const at = stops.findLastIndex((s) => s <= now)
  return stops[Math.max(0, Math.min(at + by, stops.length - 1))] ?? now
}
