import { day } from '@/format/dates'
import { originWord } from '@/format/vocabulary'
import { nameOf, type ComparedPackage } from './builds'

// What of a comparison is shown: an update changes nearly every version, so
// those that differ in nothing else are left out at first.
export const filters = {
  telling: 'but for versions alone',
  all: 'everything',
  released: 'what releases take off',
  facts: 'partition, origin, state',
  permissions: 'permissions',
  links: 'what rests on what',
  boot: 'who starts at boot',
  ungraded: 'what nobody graded',
} as const
export type Filter = keyof typeof filters

export const groupings = {
  none: 'by name',
  origin: 'by who put it there',
  namespace: 'by namespace',
  release: 'by release',
} as const
export type Grouping = keyof typeof groupings

const differs = (p: ComparedPackage, ...what: string[]) => p.what.some((d) => what.includes(d.what))
const linked = (p: ComparedPackage) => p.gained.length + p.lost.length > 0
export const onlyVersion = (p: ComparedPackage) =>
  p.lane === 'changed' && p.what.every((d) => d.what === 'version') && !linked(p)

const tests: Record<Filter, (p: ComparedPackage) => boolean> = {
  telling: (p) => !onlyVersion(p),
  all: () => true,
  released: (p) => p.taken.length > 0,
  facts: (p) => differs(p, 'partition', 'path', 'origin', 'state', 'privilege', 'persistence', 'signer', 'shared user'),
  permissions: (p) => differs(p, 'permissions', 'permissions declared'),
  links: linked,
  boot: (p) => differs(p, 'start at boot') || p.lane === 'new',
  ungraded: (p) => !(p.now ?? p.then)?.load,
}

// fits reports whether a row is one of those, and its name or label holds text.
export function fits(p: ComparedPackage, only: Filter, text: string): boolean {
  const t = text.trim().toLowerCase()
  return tests[only](p) && (!t || [p.name, p.was ?? '', p.label].some((s) => s.toLowerCase().includes(t)))
}

export interface Group {
  title: string
  rows: ComparedPackage[]
}

const titleOf: Record<Grouping, (p: ComparedPackage) => string> = {
  none: () => '',
  origin: (p) => originWord[p.origin] ?? p.origin,
  namespace: (p) => p.name.split('.').slice(0, 2).join('.'),
  release: (p) => p.taken.map((r) => `${r.edition} no. ${r.number}`).join(', ') || 'in no release',
}

export function grouped(rows: ComparedPackage[], by: Grouping): Group[] {
  const groups = new Map<string, ComparedPackage[]>()
  for (const p of rows) {
    const title = titleOf[by](p)
    groups.set(title, [...(groups.get(title) ?? []), p])
  }
  return [...groups.entries()].sort(([a], [b]) => a.localeCompare(b)).map(([title, list]) => ({ title, rows: list }))
}

export const sideName = (s: { kind: string; carrier: string; region: string; version: string; takenAt?: string }) =>
  s.kind === 'capture' && s.takenAt ? `a phone, ${day(s.takenAt)}` : nameOf(s)
