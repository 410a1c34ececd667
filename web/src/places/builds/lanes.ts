// Where a model's builds stand on the time line, and which two of them are looked
// at first.
import type { Gap, OnLine } from './builds'
import { editionOf } from './names'

// usualPair is what a build is compared with when nobody picked: the build, or
// the newest, against the one it came after.
export function usualPair(builds: OnLine[], wanted?: string): [string?, string?] {
  const captured = builds.filter((b) => b.packages)
  // Editions stand one after another, each oldest first.
  const newest = captured.reduce<OnLine | undefined>(
    (best, b) =>
      !best ||
      b.securityPatch > best.securityPatch ||
      (b.securityPatch === best.securityPatch && editionOf(b) === editionOf(best))
        ? b
        : best,
    undefined,
  )
  const to = builds.find((b) => b.id === wanted) ?? newest
  return [to?.arrival?.sinceId ?? captured.find((b) => b.id !== to?.id)?.id, to?.id]
}

// Placed is a build, or a gap, on a lane of the time line.
export interface Placed {
  key: string
  x: number
  build?: OnLine
  gap?: Gap
}

export interface Lane {
  edition: string
  placed: Placed[]
}

// lanesOf places builds by their security patches, lane by lane, so far apart
// that each can be read. It returns how wide that is.
export function lanesOf(
  builds: OnLine[],
  gaps: Gap[],
  least: number,
  room: number,
): { lanes: Lane[]; width: number; years: { x: number; year: string }[] } {
  const time = (patch: string) => Date.parse(patch || '1970-01-01')
  const times = builds.map((b) => time(b.securityPatch))
  const from = Math.min(...times)
  const to = Math.max(...times)
  const span = Math.max(to - from, 1)
  const scale = Math.max(room - least, 1) / span
  const by = new Map<string, Placed[]>()
  const put = (edition: string, p: Placed) => by.set(edition, [...(by.get(edition) ?? []), p])
  for (const b of builds) put(editionOf(b), { key: b.id, x: (time(b.securityPatch) - from) * scale, build: b })
  for (const g of gaps) {
    if (builds.some((b) => editionOf(b) === g.edition && b.version === g.version)) continue
    const middle = (time(g.from) + time(g.to)) / 2
    put(g.edition, { key: `${g.edition} ${g.version} ${g.from}`, x: (middle - from) * scale, gap: g })
  }
  let width = room
  const lanes = [...by.entries()]
    .sort(([a], [b]) => Number(a !== '') - Number(b !== '') || a.localeCompare(b))
    .map(([edition, placed]) => {
      placed.sort((a, b) => a.x - b.x)
      let free = 0
      for (const p of placed) {
        p.x = Math.max(p.x, free)
        free = p.x + (p.gap && !p.gap.version ? least / 2 : least)
      }
      // What was pushed out at the right end moves back where there is room.
      let end = Math.max(room, free)
      for (const p of [...placed].reverse()) {
        const own = p.gap && !p.gap.version ? least / 2 : least
        p.x = Math.min(p.x, Math.max(end - own, 0))
        end = p.x
      }
      width = Math.max(width, free)
      return { edition, placed }
    })
  // A lane that needs more room takes all of them along: they share the years.
  if (width > room) return lanesOf(builds, gaps, least, width)
  const years: { x: number; year: string }[] = []
  for (let y = new Date(from).getUTCFullYear() + 1; Date.UTC(y, 0, 1) <= to; y++)
    years.push({ x: (Date.UTC(y, 0, 1) - from) * scale, year: String(y) })
  return { lanes, width, years }
}
