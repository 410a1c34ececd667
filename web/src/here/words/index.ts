// The words of the page, in the language that its address has. They stand in
// web/words, a file a language, which the server's own pages use as well.
import en from '../../../words/en.json'

export type Key = keyof typeof en
export type Words = Record<string, string>

const others = import.meta.glob<Words>(['../../../words/*.json', '!../../../words/en.json'], { import: 'default' })

let words: Words = en
let language = 'en'
let plural = new Intl.PluralRules('en')

// speak loads a language; one that there is none of stays English.
export async function speak(wanted: string) {
  const load = others[`../../../words/${wanted}.json`]
  if (!load) return
  words = { ...en, ...(await load()) }
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
export const t = (key: Key, more: Filling = {}) => filled(words[key] ?? en[key], more)

// known says something of which there may be no words: fallback then.
export const known = (key: string, fallback: string, more: Filling = {}) =>
  words[key] ? filled(words[key], more) : fallback

// many says something of a number of things, by the language's own rules; key is
// what stands before .one and .other.
export function many(key: string, n: number, more: Filling = {}): string {
  return filled(words[`${key}.${plural.select(n)}`] ?? words[`${key}.other`] ?? key, { n, ...more })
}

export const day = (at: string) => new Date(at).toLocaleDateString(language, { dateStyle: 'medium' })
