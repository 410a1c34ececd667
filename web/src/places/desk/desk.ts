import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { touch } from '@/api/stale'

export type Line = Schemas['DeskLine']

// What waits is worked out anew each time: it is asked for from time to time.
const every = 45_000

export function useDesk() {
  const desk = useQuery({
    queryKey: ['desk'],
    queryFn: () => ask(api.GET('/api/v1/desk')),
    refetchInterval: every,
    refetchOnWindowFocus: true,
  })
  const lines = computed(() => desk.data.value?.items ?? [])
  const away = computed(() => desk.data.value?.away ?? [])
  const again = () => touch('desk')
  const putOff = (key: string, until?: Date) =>
    ask(api.POST('/api/v1/desk/put-off', { body: { key, until: until?.toISOString() } })).then(again)
  const done = (key: string) => ask(api.POST('/api/v1/desk/done', { body: { key } })).then(again)
  const hand = (key: string, to: string, words: string) =>
    ask(api.POST('/api/v1/desk/hand', { body: { key, to, words } })).then(again)
  return { desk, lines, away, putOff, done, hand }
}

// kindWord says in a word or two what kind of thing waits.
export const kindWord: Record<Line['kind'], string> = {
  'release-stops': 'would stop',
  'run-open': 'run',
  contested: 'contested',
  'release-behind': 'not covered',
  'publication-ask': 'publish',
  change: 'review',
  asked: 'asked',
  arrived: 'firmware',
  returned: 'returned',
  'check-due': 'check list',
  'trials-wanted': 'trials',
  'key-retired': 'old key',
  'thin-release': 'thin',
  import: 'list',
  ungraded: 'no grade',
  outside: 'from outside',
  'gained-nothing': 'no gain',
  'costs-more': 'takes more',
  told: 'news',
}

// days is a day so many days from now, at eight in the morning.
export function inDays(n: number): Date {
  const d = new Date()
  d.setDate(d.getDate() + n)
  d.setHours(8, 0, 0, 0)
  return d
}
