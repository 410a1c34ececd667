// What a change could be called, from what its edits say.
import { count } from '@/format/numbers'
import { fieldWord } from '@/format/vocabulary'
import type { Edit } from './tray'

type Told = Pick<Edit, 'package' | 'label' | 'field' | 'scopeKind' | 'scopeName' | 'buildName'>

const most = 200

// proposedTitle names the packages, or how many they are, what of them is edited
// and where that holds, where that is one place.
export function proposedTitle(edits: readonly Told[]): string {
  if (!edits.length) return ''
  const names = [...new Map(edits.map((e) => [e.package, e.label || e.package])).values()]
  const whom = names.length > 2 ? count(names.length, 'package') : names.join(' and ')
  const fields = [...new Set(edits.map((e) => fieldWord[e.field] ?? e.field))]
  const places = new Set(edits.map((e) => (e.scopeKind === 'everywhere' ? e.buildName : e.scopeName)).filter(Boolean))
  const where = places.size === 1 ? ` on ${[...places][0]}` : ''
  return `${whom}${where}: ${fields.join(', ')}`.slice(0, most)
}
