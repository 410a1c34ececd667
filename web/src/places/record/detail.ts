// The details of what somebody did, in a line.

// An id says nothing but which of two it is: its end does that.
const id = /\b[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}([0-9a-f]{12})\b/g
const plain = (v: unknown): string =>
  v === undefined ? 'none' : (v !== null && typeof v === 'object' ? JSON.stringify(v) : String(v)).replace(id, '…$1')

type Named = Record<string, unknown>

// detailWords tells what was set from what to what, and of all else by name what
// it came with.
export function detailWords(detail: unknown): string {
  const { before, after, ...rest } = (detail ?? {}) as { before?: Named; after?: Named } & Named
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])].sort()
  return [
    ...names.map((name) => `${name}: ${plain(before?.[name])} → ${plain(after?.[name])}`),
    ...Object.entries(rest).map(([name, value]) => `${name} ${plain(value)}`),
  ].join(', ')
}
