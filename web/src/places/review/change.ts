import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, type Ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'

export type ReviewedEdit = Schemas['ReviewedEdit']
export type Verdict = Schemas['Decision']['verdict']

// useReview holds a change and what the reviewer has decided so far; nothing
// is written until finish.
export function useReview(id: Ref<string>) {
  const client = useQueryClient()
  const change = useQuery({
    queryKey: computed(() => ['change', id.value]),
    queryFn: () => ask(api.GET('/api/v1/changes/{id}', { params: { path: { id: id.value } } })),
  })
  const decided = reactive(new Map<string, { verdict: Verdict; words: string }>())
  const wrong = ref('')
  const busy = ref(false)
  const open = computed(() => change.data.value?.review.filter((e) => e.state === 'open') ?? [])

  async function finish() {
    const c = change.data.value
    if (!c) return false
    busy.value = true
    wrong.value = ''
    try {
      await ask(
        api.POST('/api/v1/changes/{id}/decisions', {
          params: { path: { id: id.value }, header: { 'If-Match': `"${c.revision}"` } },
          body: {
            decisions: [...decided].map(([edit, d]) => ({ edit, verdict: d.verdict, words: d.words || undefined })),
          },
        }),
      )
      decided.clear()
      await Promise.all(
        ['change', 'changes', 'session', 'ledger', 'dossier', 'profile'].map((key) =>
          client.invalidateQueries({ queryKey: [key] }),
        ),
      )
      return true
    } catch (e) {
      wrong.value = words(e)
      await change.refetch()
      return false
    } finally {
      busy.value = false
    }
  }
  return { change, decided, open, wrong, busy, finish }
}
