// How numbers, sizes, plurals and conditions are written; core/wording does the
// same in the server.

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

// share writes what is no limit, rounded to the nearest.
export function share(of: number): string {
  return `${Math.round(of * 100)} %`
}

// sentence ends what somebody wrote as a sentence ends, once.
export function sentence(text: string): string {
  return /[.!?:…]\s*$|^\s*$/.test(text) ? text : `${text}.`
}

// onlyIf writes a condition that people have set, unless it says so itself.
export function onlyIf(condition: string): string {
  return /^(not (while|if|when|on|where)|never) /i.test(condition) ? condition : `only if: ${condition}`
}

// megabytes writes a size with one decimal.
export function megabytes(bytes: number): string {
  return bytes < 50_000 ? 'under 0.1 MB' : `${(bytes / 1e6).toFixed(1)} MB`
}

// bytes writes a size in the unit that suits it.
export function bytes(n: number): string {
  const unit = Math.min(4, Math.max(1, Math.floor(Math.log10(Math.max(n, 1)) / 3)))
  const value = n / 1000 ** unit
  return `${value < 10 ? value.toFixed(1) : Math.round(value)} ${['B', 'kB', 'MB', 'GB', 'TB'][unit]}`
}
