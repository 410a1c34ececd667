// What people write into fields, taken apart and put together.

import { guidesAsText, guidesIn, translationsAsText, translationsIn, type Guide, type Translations } from './guides'

// linesOf takes a text apart into its lines, without empty ones.
export function linesOf(text: string): string[] {
  return text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
}

// slugOf makes the short word that a function goes by.
export function slugOf(text: string): string {
  return text.trim().toLowerCase().replace(/\s+/g, '-')
}

// How each field's text is written.
export const hints: Record<string, string> = {
  functions: 'Short words with commas between, such as payments, voice-mail',
  labels: 'One a line: the language, a colon, the name. en: Tips',
  aliases: 'One a line',
  countries: 'Two letters each, with commas between: NO, SE',
  translations: 'One a line',
  debugging: 'Guides, each in a language',
}

// What stands below a field whose text takes more to explain.
export const longHints: Record<string, string> = {
  translations: 'The language, a colon and what it does: de: Zeigt Tipps. Of a function: de payments: Bezahlen',
  debugging:
    'First the language and which Android: en, from Android 13, or en, Android 11 to 12, or just en. Then the steps, one a line, and an empty line before the next guide.',
}

// asText is a field's value as its text is written.
export function asText(field: string, value: unknown): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'string') return value
  if (field === 'debugging') return guidesAsText(value as Guide[])
  if (field === 'translations') return translationsAsText(value as Translations)
  if (Array.isArray(value)) return value.join(field === 'functions' || field === 'countries' ? ', ' : '\n')
  return Object.entries(value as Record<string, string>)
    .map(([lang, label]) => `${lang}: ${label}`)
    .join('\n')
}

// valueOf reads the value of a field from its text; it throws what is wrong
// with it.
export function valueOf(field: string, text: string): unknown {
  const words = text.split(/[,\n]/).filter((w) => w.trim())
  switch (field) {
    case 'functions':
      return words.map(slugOf)
    case 'countries':
      return words.map((c) => c.trim().toUpperCase())
    case 'aliases':
      return linesOf(text)
    case 'debugging':
      return guidesIn(text)
    case 'translations':
      return translationsIn(text)
    case 'labels':
      return Object.fromEntries(
        linesOf(text).map((l) => {
          const at = l.indexOf(':')
          if (at < 1) throw new Error(`“${l}”: write the language, a colon and the name, such as en: Tips`)
          return [l.slice(0, at).trim(), l.slice(at + 1).trim()]
        }),
      )
    default:
      return text.trim()
  }
}
