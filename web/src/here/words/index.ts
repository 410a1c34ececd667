// The words of the page, in the language that its address has.
import { en, type Key, type Words } from './en'

export type { Key, Words }

const load: Record<string, () => Promise<Words>> = {}

let words: Words = en
let language = 'en'
let plural = new Intl.PluralRules('en')

// speak loads a language; one that there is none of stays English.
export async function speak(wanted: string) {
  const found = load[wanted]
  if (!found) return
  words = { ...en, ...(await found()) }
  language = wanted
  plural = new Intl.PluralRules(wanted)
}

export type Filling = Record<string, string | number>

const filled = (text: string, more: Filling) =>
  text.replace(/\{(\w+)\}/g, (whole, name: string) => {
    const value = more[name]
    return typeof value === 'number' ? value.toLocaleString(language) : (value ?? whole)
  })

// t says something.
export const t = (key: Key, more: Filling = {}) => filled(words[key], more)

// many says something of a number of things, by the language's own rules; key is
// what stands before .one and .other.
export function many(key: string, n: number, more: Filling = {}): string {
  const all = words as Record<string, string>
  const text = all[`${key}.${plural.select(n)}`] ?? all[`${key}.other`] ?? key
  return filled(text, { n, ...more })
}

export const day = (at: string) => new Date(at).toLocaleDateString(language, { dateStyle: 'medium' })
