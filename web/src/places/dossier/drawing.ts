// The drawing of what a package rests on, left, and what rests on it, right.
import type { Around, LinkTo } from './impact'

export const kindWord: Record<string, string> = {
  library: 'library',
  overlay: 'changes its looks',
  'shared-uid': 'same user',
  permission: 'permission',
  stated: 'somebody says so',
}

// A neighbour is a package with every link to it; the hardest stands for them.
export interface Neighbour {
  name: string
  label: string
  load: string
  hard: boolean
  kinds: string[]
  lines: string[]
}

// What tells most of a package comes first.
const order = ['library', 'stated', 'overlay', 'shared-uid', 'permission'].map((k) => kindWord[k]!)
const weight = (n: Neighbour) => Math.min(...n.kinds.map((k) => order.indexOf(k.replace(', hard', ''))))

// neighbours puts the links to one package together: what is hard first.
export function neighbours(links: LinkTo[], end: 'on' | 'from'): Neighbour[] {
  const byName = new Map<string, Neighbour>()
  for (const l of links) {
    const name = l[end]
    let n = byName.get(name)
    if (!n) byName.set(name, (n = { name, label: l.label, load: l.load, hard: false, kinds: [], lines: [] }))
    const hard = l.strength === 'hard' && l.kind !== 'overlay'
    n.hard ||= hard
    n.kinds.push(kindWord[l.kind] + (hard ? ', hard' : ''))
    n.lines.push(...l.lines)
  }
  return [...byName.values()].sort(
    (a, b) => Number(b.hard) - Number(a.hard) || weight(a) - weight(b) || a.name.localeCompare(b.name),
  )
}

// short leaves out of a name what it has in common with the package in the
// middle, or else what leads every name.
export function short(name: string, beside: string): string {
  const parts = name.split('.')
  if (parts.length < 3) return name
  const shared = parts.slice(0, 2).join('.')
  return beside.startsWith(shared + '.') ? parts.slice(2).join('.') : parts.slice(1).join('.')
}

// A side of the drawing: all neighbours there are, those that are drawn, and how
// many stand behind a line that says so.
export interface Side {
  end: 'on' | 'from'
  all: Neighbour[]
  shown: Neighbour[]
  rest: Neighbour[]
}

// most is how many neighbours of a side are drawn; one more takes no more room
// than saying so.
const most = 8

export function sidesOf(around: Around): [Side, Side] {
  const side = (end: Side['end']): Side => {
    const all = neighbours(around[end], end)
    const drawn = all.length <= most + 1 ? all.length : most
    return { end, all, shown: all.slice(0, drawn), rest: all.slice(drawn) }
  }
  return [side('on'), side('from')]
}

// Layout is the drawing's size in pixels: width is that of the lines' field.
export interface Layout {
  width: number
  height: number
  rowHeight: number
}

const rowsOf = (s: Side) => s.shown.length + (s.rest.length ? 1 : 0)

// layoutOf gives few neighbours the room for a second line each.
export function layoutOf(sides: readonly Side[]): Layout {
  const rows = Math.max(...sides.map(rowsOf))
  const rowHeight = rows > 5 ? 21 : 42
  return { width: 92, height: Math.max(84, rows * rowHeight), rowHeight }
}

// lineTo is the path, as SVG has it, from the package in the middle to a row of a
// side. Each side is centred, so that one neighbour stands level with the package.
export function lineTo(side: Side, row: number, { width, height, rowHeight }: Layout): string {
  const y = (height - rowsOf(side) * rowHeight) / 2 + row * rowHeight + (rowHeight > 30 ? 12 : 10.5)
  const mid = height / 2
  return side.end === 'on'
    ? `M0 ${y} C ${width * 0.55} ${y}, ${width * 0.45} ${mid}, ${width} ${mid}`
    : `M0 ${mid} C ${width * 0.55} ${mid}, ${width * 0.45} ${y}, ${width} ${y}`
}
