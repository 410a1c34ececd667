import { useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, ref, shallowRef } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'

export interface Progress {
  step: number
  steps: number
  asking: string
  bytes: number
}
export type Summary = Schemas['UploadOutputBody']
export type Stored = Schemas['Capture']

// useCapture runs one capture at a time and follows it to its end. What it
// ended with stays until the next one.
export function useCapture() {
  const client = useQueryClient()
  const job = shallowRef<Schemas['Job']>()
  const serial = ref<string>()
  const stored = shallowRef<Stored>()
  const wrong = ref('')
  let source: EventSource | undefined
  const running = () => job.value?.state === 'running'

  async function read(id: string) {
    stored.value = await ask(api.GET('/api/v1/captures/{id}', { params: { path: { id } } }))
    await Promise.all(
      ['makers', 'models', 'builds', 'ledger', 'phones'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    )
  }
  async function start(from: string) {
    if (running()) return
    serial.value = from
    wrong.value = ''
    stored.value = undefined
    job.value = undefined
    try {
      const { id } = await ask(
        api.POST('/api/v1/bench/phones/{serial}/captures', { params: { path: { serial: from } } }),
      )
      follow(id)
    } catch (e) {
      wrong.value = words(e)
    }
  }
  function follow(id: string) {
    source?.close()
    source = new EventSource(`/api/v1/jobs/${id}/events`)
    source.addEventListener('job', (e) => {
      const now = JSON.parse((e as MessageEvent<string>).data) as Schemas['Job']
      job.value = now
      if (now.state === 'running') return
      source?.close()
      wrong.value = now.problem
      const result = now.result as { id?: string } | null
      if (result?.id) read(result.id).catch((error: unknown) => (wrong.value = words(error)))
    })
  }
  async function cancel() {
    if (job.value)
      await ask(api.DELETE('/api/v1/jobs/{id}', { params: { path: { id: job.value.id } } })).catch(
        (e: unknown) => (wrong.value = words(e)),
      )
  }
  onScopeDispose(() => source?.close())
  return { job, serial, stored, wrong, start, cancel }
}
export type Capturing = ReturnType<typeof useCapture>
