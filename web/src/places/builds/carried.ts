// What is worse known on a build than on another: in which order, and in words.
import type { Schemas } from '@/api/client'
import { loads, type Load } from '@/format/vocabulary'

export type Carried = Schemas['CarriedOver']
export const orders = {
  stands: 'what no longer stands',
  rose: 'how far the ceiling rose',
  ceiling: 'the ceiling here',
  load: 'load',
  released: 'what releases take off',
  name: 'name',
} as const
export type Order = keyof typeof orders

const rank = (r: Carried) => loads.indexOf((r.now.load || r.now.suggested) as Load)
const by: Record<Exclude<Order, 'stands'>, (a: Carried, b: Carried) => number> = {
  rose: (a, b) => b.rose - a.rose,
  ceiling: (a, b) => b.now.ceiling - a.now.ceiling,
  load: (a, b) => rank(b) - rank(a),
  released: (a, b) => b.taken.length - a.taken.length,
  name: (a, b) => a.name.localeCompare(b.name),
}
// inOrder leaves the rows of the server as they came for what no longer stands,
// and equal ones among themselves.
export const inOrder = (rows: readonly Carried[], order: Order) =>
  order === 'stands' ? [...rows] : rows.toSorted(by[order])

export const taken = (r: Carried) =>
  `${r.taken.map((x) => `${x.edition} no. ${x.number}`).join(', ')} ${r.taken.length > 1 ? 'take' : 'takes'} it off`
export const meaning = (r: Carried) =>
  [r.stands ? '' : `${r.why}.`, r.taken.length ? taken(r) : ''].filter(Boolean).join(' ')
