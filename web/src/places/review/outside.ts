// What strangers told, in groups of what belongs together.
import type { Schemas } from '@/api/client'

export type OutsideReport = Schemas['OutsideReport']
export type Outcome = OutsideReport['outcome']

export const outcomeTold: Record<Outcome, string> = {
  worked: 'worked',
  missing: 'something is missing',
  broken: 'something is broken',
  'would-not-go': 'something would not go',
  'came-back': 'something came back',
  'not-listed': 'a phone that is not listed',
}

// asTrial is the outcome of a trial that it comes to.
export const asTrial: Record<Outcome, Schemas['TakeReportInputBody']['outcome']> = {
  worked: 'clean',
  missing: 'function-lost',
  broken: 'fault',
  'would-not-go': 'refused',
  'came-back': 'clean',
  'not-listed': 'clean',
}

export interface Group {
  key: string
  release: string
  firmware: string
  outcome: Outcome
  about: string // the function or the packages
  phones: number
  reports: OutsideReport[]
}

// groupsOf puts together what tells the same of one release and firmware, in the
// order in which each was told last.
export function groupsOf(list: OutsideReport[]): Group[] {
  const groups = new Map<string, Group>()
  for (const r of list) {
    const about = r.function.toLowerCase() || [...r.packages].sort().join(', ')
    const firmware = r.buildName || r.fingerprint
    const key = [r.releaseId ?? '', firmware, r.outcome, about].join('\n')
    const g = groups.get(key) ?? {
      key,
      release: r.release,
      firmware,
      outcome: r.outcome,
      about,
      phones: 0,
      reports: [],
    }
    g.reports.push(r)
    groups.set(key, g)
  }
  // Who tells no phone counts as one each.
  for (const g of groups.values()) g.phones = new Set(g.reports.map((r) => r.phone || r.id)).size
  return [...groups.values()]
}

// packagesIn are what a log says was taken off, and what the teller named.
export function packagesIn(r: OutsideReport): string[] {
  const off = r.log.split('\n').flatMap((line) => {
    const [state, , name] = line.split('\t')
    return state === 'done' && name ? [name] : []
  })
  return r.packages.length ? r.packages : [...new Set(off)]
}

// slugsOf are maker and model of a release's address.
export function slugsOf(path: string): { maker: string; model: string } | undefined {
  const [, r, maker, model] = path.split('/')
  return r === 'r' && maker && model ? { maker, model } : undefined
}
