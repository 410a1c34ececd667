import { computed, onScopeDispose, ref, shallowRef } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { follow } from '@/api/events'

export type Request = Schemas['Request']

// useJob asks a bench for something and follows it to its end. What it ended
// with stays until it is asked again; watch follows one that was asked for
// elsewhere.
export function useJob<Progress, Result>(ended?: (result: Result | null) => void) {
  const job = shallowRef<Schemas['Job']>()
  const wrong = ref('')
  const asking = ref(false)
  let end: (() => void) | undefined
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
      watch(id)
    } catch (e) {
      wrong.value = words(e)
    } finally {
      asking.value = false
    }
  }
  function watch(id: string) {
    wrong.value = ''
    job.value = undefined
    end?.()
    end = follow(`/api/v1/jobs/${id}/events`, { job: take })
  }
  function take(now: Schemas['Job']) {
    job.value = now
    if (now.state === 'waiting' || now.state === 'running') return
    end?.()
    wrong.value = now.state === 'failed' ? now.problem : ''
    ended?.(now.result as Result | null)
  }
  async function cancel() {
    if (job.value)
      await ask(api.DELETE('/api/v1/jobs/{id}', { params: { path: { id: job.value.id } } })).catch(
        (e: unknown) => (wrong.value = words(e)),
      )
  }
  onScopeDispose(() => end?.())
  return { job, busy, progress, result, wrong, start, watch, cancel }
}
