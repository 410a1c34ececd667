// How somebody looks at the Ledger.
import type { LocationQuery } from 'vue-router'

// What the Ledger can be ordered and grouped by, with the words for it.
export const sorts = {
  fit: 'best match first',
  name: 'name',
  load: 'load, heaviest first',
  ceiling: 'ceiling, lowest first',
  standing: 'standing, firmest first',
  trials: 'trials, most first',
  builds: 'builds, most first',
  memory: 'memory, most first',
  newest: 'newest firmware',
} as const
export const groups = {
  origin: 'origin',
  namespace: 'namespace',
  load: 'load',
  function: 'function',
  maker: 'maker',
  icon: 'icon',
  none: 'nothing',
} as const

// View is how somebody looks at the Ledger; the address carries it.
export interface View {
  q: string
  // Without a wish the server arranges the rows: what somebody looks for by name
  // stands first, all else is by origin and name.
  sort?: keyof typeof sorts
  group?: keyof typeof groups
}

// viewIn reads the view that an address carries.
export function viewIn(query: LocationQuery | Record<string, string | undefined>): View {
  const text = (v: unknown) => (typeof v === 'string' ? v : '')
  const sort = text(query.sort)
  const group = text(query.group)
  return {
    q: text(query.q),
    sort: Object.hasOwn(sorts, sort) ? (sort as View['sort']) : undefined,
    group: Object.hasOwn(groups, group) ? (group as View['group']) : undefined,
  }
}

// viewQuery is the part of an address that carries a view.
export function viewQuery(view: View): Record<string, string> {
  return {
    ...(view.q ? { q: view.q } : {}),
    ...(view.sort ? { sort: view.sort } : {}),
    ...(view.group ? { group: view.group } : {}),
  }
}
