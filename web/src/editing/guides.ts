// Guides and translations as people write them: each a text, taken apart and put
// together.
// Guide is core/catalog's.
export interface Guide {
  from?: number
  to?: number
  language: string
  steps: string[]
}
export type Translations = Record<string, { description?: string; functions?: Record<string, string> }>

const head = /^([a-z]{2,3}(?:-[A-Za-z0-9]{2,8})*)(?:, (?:(from|up to) )?Android (\d+)(?: to (\d+))?)?$/

// whom says which phones a guide is for, as its first line has it.
function whom(g: Guide): string {
  if (!g.from && !g.to) return g.language
  if (g.from === g.to) return `${g.language}, Android ${g.from}`
  if (!g.to) return `${g.language}, from Android ${g.from}`
  return g.from ? `${g.language}, Android ${g.from} to ${g.to}` : `${g.language}, up to Android ${g.to}`
}

export const guidesAsText = (list: Guide[]) => list.map((g) => [whom(g), ...(g.steps ?? [])].join('\n')).join('\n\n')

// guidesIn reads guides with empty lines between; it throws what is wrong.
export function guidesIn(text: string): Guide[] {
  return text
    .split(/\n\s*\n/)
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const [first = '', ...steps] = part.split('\n').map((l) => l.trim())
      const m = head.exec(first)
      if (!m) throw new Error(`“${first}”: begin with the language, such as en, or en, from Android 13`)
      const [, language = '', open, one, last] = m
      if (!steps.length) throw new Error(`“${first}”: write the steps below it, one a line`)
      const from = open === 'up to' ? undefined : one && Number(one)
      const to = open === 'up to' ? one : (last ?? (open ? undefined : one))
      return { language, ...(from && { from }), ...(to && { to: Number(to) }), steps }
    })
}

export const translationsAsText = (all: Translations) =>
  Object.entries(all)
    .flatMap(([language, t]) => [
      ...(t.description ? [`${language}: ${t.description}`] : []),
      ...Object.entries(t.functions ?? {}).map(([f, name]) => `${language} ${f}: ${name}`),
    ])
    .join('\n')

// translationsIn reads them, one a line; it throws what is wrong.
export function translationsIn(text: string): Translations {
  const all: Translations = {}
  for (const line of text.split('\n').map((l) => l.trim())) {
    if (!line) continue
    const [, language, fn, words] = /^([A-Za-z0-9-]+)(?: +([a-z0-9-]+))?: *(.+)$/.exec(line) ?? []
    if (!language || !words)
      throw new Error(`“${line}”: write the language, a colon and the description, or a function before the colon`)
    const t = (all[language] ??= {})
    if (fn) t.functions = { ...t.functions, [fn]: words }
    else t.description = words
  }
  return all
}
