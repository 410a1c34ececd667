// The vocabulary's words for what the API names by slugs. What there is to name is
// the API's to say: a word that is missing here does not compile.
import type { Schemas } from '@/api/client'
import { once } from './once'

export type Load = Schemas['Grade']['load']
export const loads: readonly Load[] = ['loose', 'leaned-on', 'tied-in', 'load-bearing', 'unproven']

export const loadWord: Record<string, string> = {
  loose: 'Loose',
  'leaned-on': 'Leaned on',
  'tied-in': 'Tied in',
  'load-bearing': 'Load-bearing',
  unproven: 'Unproven',
} satisfies Record<Load, string>

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
  quieten: 'quietened',
  disable: 'disabled',
  'remove-for-user': 'removed for the user',
  'remove-from-image': 'removed from the image',
} satisfies Record<Schemas['ByMethod']['method'], string>

export const outcomeWord: Record<string, string> = {
  clean: 'clean',
  'function-lost': 'function lost',
  fault: 'fault',
  'no-start': 'no start',
  refused: 'refused',
} satisfies Record<Schemas['TrialValue']['outcome'], string>

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
} satisfies Record<Exclude<Schemas['Change']['state'] | Schemas['Edit']['state'], 'in-tray'>, string>

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
  translations: 'translations',
  debugging: 'letting a phone listen',
} satisfies Record<Schemas['EditInput']['field'], string>

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

const regions = once(() => new Intl.DisplayNames('en', { type: 'region', fallback: 'code' }))

// country names an ISO 3166 code.
export function country(code: string): string {
  return regions().of(code) ?? code
}

export function slugWords(slug: string): string {
  return slug.replaceAll('-', ' ')
}
