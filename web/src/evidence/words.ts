// The vocabulary's words for what the API names by slugs.
export const loads = ['loose', 'leaned-on', 'tied-in', 'load-bearing', 'unproven'] as const
export type Load = (typeof loads)[number]

export const loadWord: Record<string, string> = {
  loose: 'Loose',
  'leaned-on': 'Leaned on',
  'tied-in': 'Tied in',
  'load-bearing': 'Load-bearing',
  unproven: 'Unproven',
}

export const originWord: Record<string, string> = {
  maker: 'Maker',
  partner: 'Paid placement',
  carrier: 'Carrier',
  silicon: 'Chip vendor',
  region: 'Region',
  platform: 'Platform',
  owner: 'Owner',
  unknown: 'Unknown',
}

export const methodWord: Record<string, string> = {
  disable: 'disabled',
  'remove-for-user': 'removed for the user',
  'remove-from-image': 'removed from the image',
}

export const outcomeWord: Record<string, string> = {
  clean: 'clean',
  'function-lost': 'function lost',
  fault: 'fault',
  'no-start': 'no start',
  refused: 'refused',
}

// What a source tells of.
export const claimWord: Record<string, string> = { about: 'what it is', ...outcomeWord }

export const stateWord: Record<string, string> = {
  sent: 'sent',
  open: 'open',
  accepted: 'accepted',
  returned: 'returned',
  'turned-down': 'turned down',
  'taken-back': 'taken back',
  replaced: 'replaced by a newer round',
}

export const fieldWord: Record<string, string> = {
  load: 'load',
  trial: 'trial',
  description: 'what it does',
  origin: 'who put it there',
  functions: 'functions',
  labels: 'names',
  aliases: 'other names',
  source: 'source',
  substitutes: 'substitutes',
  countries: 'countries',
  links: 'what it rests on',
}

// ceiling rounds up: a ceiling is never shown lower than it is.
export function ceiling(share: number): string {
  return `${Math.ceil(share * 100 - 1e-9)} %`
}

export function floor(share: number): string {
  return `${Math.floor(share * 100 + 1e-9)} %`
}

export function slugWords(slug: string): string {
  return slug.replaceAll('-', ' ')
}

export function count(n: number, one: string, many = `${one}s`): string {
  return n === 1 ? `1 ${one}` : `${n} ${many}`
}

const regions = new Intl.DisplayNames('en', { type: 'region', fallback: 'code' })

// country names an ISO 3166 code.
export function country(code: string): string {
  return regions.of(code) ?? code
}

export function people(n: number): string {
  return count(n, 'person', 'people')
}

// megabytes writes a size with one decimal.
export function megabytes(bytes: number): string {
  return bytes < 50_000 ? 'under 0.1 MB' : `${(bytes / 1e6).toFixed(1)} MB`
}

const relative = new Intl.RelativeTimeFormat('en', { numeric: 'auto' })

// ago says how long ago something was, roughly.
export function ago(time: string): string {
  const seconds = (Date.now() - new Date(time).getTime()) / 1000
  for (const [unit, size] of [
    ['year', 31_557_600],
    ['month', 2_629_800],
    ['week', 604_800],
    ['day', 86_400],
    ['hour', 3600],
    ['minute', 60],
  ] as const) {
    if (seconds >= size) return relative.format(-Math.floor(seconds / size), unit)
  }
  return 'just now'
}

// day is the date of a time, as 31 Mar 2026.
export function day(time: string): string {
  return new Date(time).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
}

export function exactTime(time: string): string {
  return new Date(time).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'long' })
}

const roleWord: Record<string, string> = {
  HOME: 'home screen',
  DIALER: 'dialler',
  SMS: 'messages',
  BROWSER: 'browser',
  ASSISTANT: 'assistant',
  EMERGENCY: 'emergency information',
  SYSTEM_GALLERY: 'gallery',
  SYSTEM_UI: 'system UI',
  WEB_VIEW: 'web view',
}

// roleName says one of the platform's roles in plain words.
export function roleName(role: string): string {
  return roleWord[role] ?? role.toLowerCase().replaceAll('_', ' ')
}
