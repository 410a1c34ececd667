// What the browser keeps of the server's answers, and what makes it stale. Acts
// of one's own and what the server tells of everybody else's go through the
// same table.
import { queryClient, type Schemas } from './client'

// Subject is what an answer is about: the first part of its query's key.
export type Subject =
  | 'adopted'
  | 'backups'
  | 'builds'
  | 'capture'
  | 'carried'
  | 'change'
  | 'changes'
  | 'comparison'
  | 'consequences'
  | 'coverage'
  | 'decisions-draft'
  | 'desk'
  | 'deliveries'
  | 'dossier'
  | 'draft'
  | 'drafts'
  | 'first-start'
  | 'fits'
  | 'follows'
  | 'foreseen'
  | 'functions'
  | 'hold'
  | 'installation'
  | 'installation-rules'
  | 'intake'
  | 'invitation'
  | 'invitations'
  | 'keys'
  | 'knock-on'
  | 'ledger'
  | 'links'
  | 'makers'
  | 'measurements'
  | 'met'
  | 'model-gain'
  | 'models'
  | 'news'
  | 'over-time'
  | 'package-uses'
  | 'people'
  | 'person'
  | 'phones'
  | 'profile'
  | 'profile-comparison'
  | 'passkeys'
  | 'password-link'
  | 'profiles'
  | 'record'
  | 'record-proof'
  | 'rehearsal'
  | 'release-gain'
  | 'releases'
  | 'reports'
  | 'review-rules'
  | 'rules-draft'
  | 'runs'
  | 'session'
  | 'sessions'
  | 'timeline'
  | 'tokens'
  | 'tray'
  | 'tray-check'
  | 'tray-knock-on'
  | 'views'
  | 'wanted'
  | 'webhooks'
  | 'week'
  | 'yardstick'

declare module '@tanstack/vue-query' {
  interface Register {
    queryKey: readonly [Subject, ...unknown[]]
  }
}

// Told is what the server tells of, whoever did it.
export type Told = Exclude<Schemas['StaleTopic']['topic'], 'everything' | 'nothing'>

// Topic is what somebody can change. The server does not tell of what is one
// person's own, or of what a form holds that may be half filled in.
export type Topic = Told | 'access' | 'backups' | 'follows' | 'profile' | 'views' | 'wanted'

// What follows from what the catalogue says.
const catalogue: Subject[] = [
  'ledger',
  'dossier',
  'consequences',
  'functions',
  'over-time',
  'timeline',
  'carried',
  'coverage',
  'comparison',
]
// What rests on measurements.
const gain: Subject[] = ['measurements', 'package-uses', 'release-gain', 'model-gain']
const reviewed: Subject[] = ['change', 'changes', 'knock-on', 'tray-check', 'tray-knock-on', 'foreseen', 'session']

// What the server tells of. A run tells of each of its steps, many a second: it
// makes stale what is cheap to read.
const staleByOthers: Record<Told, readonly Subject[]> = {
  captures: [
    ...catalogue,
    'makers',
    'models',
    'builds',
    'phones',
    'intake',
    'links',
    'fits',
    'hold',
    'desk',
    'first-start',
    'wanted',
    ...gain,
  ],
  changes: ['first-start', ...catalogue, ...reviewed, 'profiles', 'person', 'people', 'wanted', 'desk', 'week'],
  cover: ['coverage', 'timeline', 'models', 'builds'],
  desk: ['desk'],
  drafts: ['drafts', 'decisions-draft', 'rules-draft'],
  notices: ['news', 'session'],
  people: ['people', 'person', 'invitations', 'session', 'first-start'],
  profiles: ['profiles', 'profile', 'profile-comparison', 'desk', 'fits', 'session'],
  releases: [...gain, 'releases', 'hold', 'keys', 'timeline', 'dossier', 'profiles', 'fits', 'desk', 'wanted', 'week'],
  reports: ['reports', 'desk'],
  rules: ['first-start', ...catalogue, ...reviewed, 'profiles', 'releases', 'desk'],
  run: ['runs'],
  tray: ['tray', 'session', 'tray-check', 'tray-knock-on', 'draft'],
}

const staleAfter: Record<Topic, readonly Subject[]> = {
  ...staleByOthers,
  access: ['sessions', 'tokens', 'passkeys'],
  backups: ['backups'],
  follows: ['follows'],
  profile: ['profile', 'profile-comparison', 'releases', 'dossier'],
  views: ['views'],
  wanted: ['wanted', 'desk'],
}

// everything is all that the server tells of.
export const everything = Object.keys(staleByOthers) as Told[]

// subjectsOf lists what is stale after something was changed, each once.
export function subjectsOf(topics: Iterable<Topic>): Set<Subject> {
  return new Set([...topics].flatMap((topic) => staleAfter[topic]))
}

// touch reads anew what is on screen of what has become stale, and resolves
// when it is there; the rest is read when somebody looks at it.
export async function touch(...topics: Topic[]): Promise<void> {
  const stale = subjectsOf(topics)
  if (stale.size) await queryClient.invalidateQueries({ predicate: (q) => stale.has(q.queryKey[0] as Subject) })
}
