// What the Ledger draws: rows under the heads of their groups.
import { loadWord, originWord } from '@/format/vocabulary'
import type { LedgerRow } from './ledger'
import type { groups } from './view'

type Group = keyof typeof groups

// A line of the Ledger: the head of a group or a package.
export type Line =
  | { kind: 'group'; group: string; title: string; rows: number; open: boolean }
  | { kind: 'row'; row: LedgerRow; index: number }

// titleOf is what a group is called: the server writes two digits for its
// place, a colon and the value.
function titleOf(kind: Group, group: string): string {
  const value = group.slice(3)
  if (kind === 'origin') return originWord[value] ?? value
  if (kind === 'load') return loadWord[value] ?? value
  if (kind === 'function') return value || 'no function named'
  if (kind === 'icon') return { yes: 'with an icon', no: 'without an icon' }[value] ?? 'no capture has told'
  if (kind === 'maker') return value || (group.startsWith('01') ? 'several makers' : 'no image')
  return value
}

// lines puts rows under the heads of their groups, without those of closed
// groups. Rows come ordered by group.
export function lines(rows: LedgerRow[], kind: Group, closed: Set<string>): Line[] {
  const out: Line[] = []
  const size = new Map<string, number>()
  for (const r of rows) size.set(r.group, (size.get(r.group) ?? 0) + 1)
  let group: string | undefined
  let index = 0
  for (const row of rows) {
    if (kind !== 'none' && row.group !== group) {
      group = row.group
      out.push({
        kind: 'group',
        group,
        title: titleOf(kind, group),
        rows: size.get(group) ?? 0,
        open: !closed.has(group),
      })
    }
    if (!closed.has(row.group)) out.push({ kind: 'row', row, index: index++ })
  }
  return out
}
