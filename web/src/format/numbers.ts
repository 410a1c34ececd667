// How numbers, sizes and plurals are written.
// ceiling rounds up: a ceiling is never shown lower than it is.
export function ceiling(share: number): string {
  return `${Math.ceil(share * 100 - 1e-9)} %`
}

export function floor(share: number): string {
  return `${Math.floor(share * 100 + 1e-9)} %`
}

export function count(n: number, one: string, many = `${one}s`): string {
  return n === 1 ? `1 ${one}` : `${n} ${many}`
}

export function people(n: number): string {
  return count(n, 'person', 'people')
}

// megabytes writes a size with one decimal.
export function megabytes(bytes: number): string {
  return bytes < 50_000 ? 'under 0.1 MB' : `${(bytes / 1e6).toFixed(1)} MB`
}
