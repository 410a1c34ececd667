// What somebody who is new could try first, by role, on what is there.
import { useLocalStorage } from '@vueuse/core'
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { api, ask, type Schemas } from '@/api/client'
import { useTray } from '@/tray/tray'

type Person = Schemas['Person']
// What tells that a step was taken: by oneself, or else that it was looked at.
interface Facts {
  edits: number
  changes: number
  reviewed: number
}
export interface FirstStep {
  key: string
  words: string
  to: string
  done?: (f: Facts) => boolean
}

export const firstSteps: Record<Person['role'], FirstStep[]> = {
  technician: [
    { key: 'look', words: 'See what a phone model ships, and what is known of it', to: '/ledger' },
    {
      key: 'edit',
      words: 'Open a package and say what happened without it: your edit waits in the tray',
      to: '/ledger?q=standing<fair',
      done: (f) => f.edits + f.changes > 0,
    },
    { key: 'capture', words: 'Attach a phone, or a stand-in, and capture it', to: '/bench' },
  ],
  reviewer: [
    {
      key: 'decide',
      words: 'Decide about a change that somebody has sent',
      to: '/review',
      done: (f) => f.reviewed > 0,
    },
    {
      key: 'contested',
      words: 'Look at packages whose trials contradict each other',
      to: '/ledger?q=standing:contested',
    },
    { key: 'rules', words: 'Read how many reviewers an edit needs', to: '/rules' },
  ],
  maintainer: [
    { key: 'line', words: 'Move the cut line of a profile, and see what it costs', to: '/profiles' },
    { key: 'holds', words: 'See whether the releases still hold on newer firmware', to: '/builds' },
    { key: 'releases', words: 'Look at a release as everybody sees it', to: '/releases' },
  ],
  keeper: [
    { key: 'people', words: 'Invite somebody, or give a role', to: '/people' },
    { key: 'rules', words: 'Set when sessions end and how many reviewers an edit needs', to: '/rules' },
    { key: 'record', words: 'See who did what', to: '/record' },
  ],
}

// useFirstSteps are those that a person has not taken yet; let go of, none.
export function useFirstSteps(person: () => Person | undefined) {
  const seen = useLocalStorage<Record<string, string[]>>('roster-first-steps', {})
  const { tray, edits } = useTray()
  const open = computed(() => {
    const p = person()
    if (!p) return []
    const mine = seen.value[p.id] ?? []
    return mine.includes('all') ? [] : firstSteps[p.role].filter((s) => !mine.includes(s.key))
  })
  const record = useQuery({
    queryKey: computed(() => ['person', person()?.id]),
    enabled: computed(() => !!person() && open.value.length > 0),
    queryFn: () => ask(api.GET('/api/v1/people/{id}', { params: { path: { id: person()!.id } } })),
  })
  const steps = computed(() => {
    const r = record.data.value
    if (!r || !tray.isSuccess.value) return []
    const facts = { edits: edits.value.length, changes: r.changes, reviewed: r.reviewed }
    return open.value.filter((s) => !s.done?.(facts))
  })
  function take(key: string) {
    const p = person()
    if (p) seen.value = { ...seen.value, [p.id]: [...(seen.value[p.id] ?? []), key] }
  }
  return { steps, take }
}
