import { computed, onScopeDispose, ref, shallowRef } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'

export type Request = Schemas['Request']

// useJob asks a bench for something and follows it to its end. What it ended
// with stays until it is asked again; watch follows one that was asked for
// elsewhere.
export function useJob<Progress, Result>(ended?: (result: Result | null) => void) {
  const job = shallowRef<Schemas['Job']>()
  const wrong = ref('')
  const asking = ref(false)
  let source: EventSource | undefined
  const busy = computed(() => asking.value || job.value?.state === 'waiting' || job.value?.state === 'running')
  const progress = computed(() => job.value?.progress as Progress | undefined)
  const result = computed(() => (job.value?.result ?? null) as Result | null)

  async function start(bench: string, request: Request) {
    if (busy.value) return
    asking.value = true
    wrong.value = ''
    job.value = undefined
    try {
      const { id } = await ask(
        api.POST('/api/v1/benches/{id}/requests', { params: { path: { id: bench } }, body: request }),
      )
      follow(id)
    } catch (e) {
      wrong.value = words(e)
    } finally {
      asking.value = false
    }
  }
  function watch(id: string) {
    wrong.value = ''
    job.value = undefined
    follow(id)
  }
  function follow(id: string) {
    source?.close()
    source = new EventSource(`/api/v1/jobs/${id}/events`)
    source.addEventListener('job', (e) => {
      const now = JSON.parse((e as MessageEvent<string>).data) as Schemas['Job']
      job.value = now
      if (now.state === 'waiting' || now.state === 'running') return
      source?.close()
      wrong.value = now.state === 'failed' ? now.problem : ''
      ended?.(now.result as Result | null)
    })
  }
  async function cancel() {
    if (job.value)
      await ask(api.DELETE('/api/v1/jobs/{id}', { params: { path: { id: job.value.id } } })).catch(
        (e: unknown) => (wrong.value = words(e)),
      )
  }
  onScopeDispose(() => source?.close())
  return { job, busy, progress, result, wrong, start, watch, cancel }
}
