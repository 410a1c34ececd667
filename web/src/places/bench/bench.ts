import { onScopeDispose, ref } from 'vue'
import type { Schemas } from '@/api/client'

export type Bench = Schemas['BenchView']
export type Phone = Schemas['PhoneView']

const view = ref<Bench>()
let source: EventSource | undefined
let users = 0

// useBench follows the phones of the server's bench while somebody looks; the
// browser reconnects by itself.
export function useBench() {
  users++
  if (!source) {
    source = new EventSource('/api/v1/bench/events')
    source.addEventListener('bench', (e) => (view.value = JSON.parse((e as MessageEvent<string>).data) as Bench))
  }
  onScopeDispose(() => {
    if (--users === 0) {
      source?.close()
      source = undefined
    }
  })
  return { view }
}
