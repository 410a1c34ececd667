// The details of what somebody did, in a line.

const plain = (v: unknown): string =>
  v === undefined ? 'none' : v !== null && typeof v === 'object' ? JSON.stringify(v) : String(v)

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
