import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch, type Ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useDraft } from '@/composables/draft'

export type ReviewedEdit = Schemas['ReviewedEdit']
export type Verdict = Schemas['Decision']['verdict']

// What a reviewer has decided about an edit and not written yet.
export interface Decided {
  verdict: Verdict
  words: string
  // The catalogue's revision that the edit is to stand over.
  over?: number
  // What the reviewer wrote in place of the edit's value.
  written?: unknown
}

// similar tells which other edits say the same kind of thing: trials with the
// same method and outcome, or the same value of the same field.
export function similar(a: ReviewedEdit, b: ReviewedEdit): boolean {
  if (a.field !== b.field) return false
  const [x, y] = [a.value, b.value] as { method?: string; outcome?: string }[]
  if (a.field === 'trial') return x?.method === y?.method && x?.outcome === y?.outcome
  return a.field === 'source' || JSON.stringify(a.value) === JSON.stringify(b.value)
}

// useReview holds a change and what the reviewer has decided so far, which the
// server keeps for them; nothing is written until finish.
export function useReview(id: Ref<string>, mayDecide: () => boolean) {
  const path = () => ({ path: { id: id.value } })
  const change = useQuery({
    queryKey: computed(() => ['change', id.value]),
    queryFn: () => ask(api.GET('/api/v1/changes/{id}', { params: { path: { id: id.value } } })),
  })
  const decided = reactive(new Map<string, Decided>())
  const open = computed(() => change.data.value?.review.filter((e) => e.state === 'open') ?? [])
  const decisions = () => [...decided].map(([edit, d]) => ({ edit, ...d, words: d.words || undefined }))
  // Decisions about edits that somebody else has settled meanwhile go.
  const draft = useDraft<Schemas['DraftDecided']>({
    key: ['decisions-draft', id.value],
    read: async () => {
      const d = await ask(api.GET('/api/v1/changes/{id}/draft', { params: path() }))
      return d.decisions.length ? d : undefined
    },
    write: (content, keepalive) =>
      ask(
        api.PUT('/api/v1/changes/{id}/draft', {
          params: path(),
          body: content ?? { revision: 0, decisions: [] },
          keepalive,
        }),
      ),
    content: () => (decided.size ? { revision: change.data.value?.revision ?? 0, decisions: decisions() } : undefined),
    take: (content) => {
      decided.clear()
      const stillOpen = new Set(open.value.map((e) => e.id))
      for (const { edit, words, ...d } of content?.decisions ?? [])
        if (stillOpen.has(edit)) decided.set(edit, { ...d, words: words ?? '' })
    },
    ready: () => !!change.data.value && mayDecide(),
  })
  // The edits that would stand: open ones but those that go back.
  const standing = computed(() =>
    open.value.filter((e) => (decided.get(e.id)?.verdict ?? 'accepted') === 'accepted').map((e) => e.id),
  )
  const knockOn = useQuery({
    queryKey: computed(() => ['knock-on', id.value, change.data.value?.revision, standing.value]),
    enabled: computed(() => standing.value.length > 0),
    placeholderData: (before) => before,
    queryFn: () =>
      ask(
        api.POST('/api/v1/changes/{id}/knock-on', {
          params: { path: { id: id.value } },
          body: { edits: standing.value },
        }),
      ),
  })

  const lookedAt = ref<string>()
  // What has moved since the last look stays marked while the page is open:
  // the look is noted, and not read again until somebody comes back.
  watch(
    () => change.data.value?.at,
    (at, before) => {
      if (!at || before) return
      lookedAt.value = change.data.value?.lookedAt
      void api.POST('/api/v1/changes/{id}/look', { params: { path: { id: id.value } }, body: { at } })
    },
    { immediate: true },
  )

  const { busy, wrong, run: act } = useChange('changes', 'profile', 'tray')
  async function run(what: () => Promise<unknown>) {
    const worked = await act(what)
    if (!worked) void change.refetch() // takes long where the server is away
    return worked
  }
  const finish = () =>
    run(() =>
      draft.send(async () => {
        await ask(
          api.POST('/api/v1/changes/{id}/decisions', {
            params: { ...path(), header: { 'If-Match': `"${change.data.value?.revision}"` } },
            body: {
              decisions: decisions(),
            },
          }),
        )
        decided.clear()
      }),
    )
  const say = (text: string, thread?: string) =>
    run(() => ask(api.POST('/api/v1/changes/{id}/comments', { params: path(), body: { text, thread } })))
  const askPerson = (person: string, said: string) =>
    run(async () => ask(api.POST('/api/v1/changes/{id}/asked', { params: path(), body: { person, words: said } })))
  const takeBack = () => run(async () => ask(api.POST('/api/v1/changes/{id}/take-back', { params: path() })))
  const reverted = ref<Schemas['RevertOutputBody']>()
  const revert = () =>
    run(async () => (reverted.value = await ask(api.POST('/api/v1/changes/{id}/revert', { params: path() }))))
  return {
    change,
    run,
    lookedAt,
    decided,
    draft,
    open,
    knockOn,
    wrong,
    busy,
    finish,
    say,
    askPerson,
    takeBack,
    revert,
    reverted,
  }
}
