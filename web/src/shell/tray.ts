import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'

export type Edit = Schemas['Edit']

// useTray is the person's unsent edits; they live on the server.
export function useTray() {
  const client = useQueryClient()
  const tray = useQuery({ queryKey: ['tray'], queryFn: () => ask(api.GET('/api/v1/tray')).then((r) => r.items) })
  const edits = computed(() => tray.data.value ?? [])
  const refresh = () =>
    Promise.all([client.invalidateQueries({ queryKey: ['tray'] }), client.invalidateQueries({ queryKey: ['session'] })])

  async function add(list: Schemas['EditInput'][]) {
    await ask(api.POST('/api/v1/tray/edits', { body: { edits: list } }))
    await refresh()
  }
  async function remove(id: string) {
    await ask(api.DELETE('/api/v1/tray/edits/{id}', { params: { path: { id } } }))
    await refresh()
  }
  // send makes a change of all edits; the key lets a retry not send twice.
  async function send(title: string, key: string) {
    const made = await ask(
      api.POST('/api/v1/changes', {
        params: { header: { 'Idempotency-Key': key } },
        body: { title, edits: edits.value.map((e) => e.id) },
      }),
    )
    await refresh()
    await client.invalidateQueries({ queryKey: ['changes'] })
    return made.id
  }
  async function reopen(id: string) {
    await ask(api.POST('/api/v1/edits/{id}/reopen', { params: { path: { id } } }))
    await refresh()
  }
  return { tray, edits, add, remove, send, reopen }
}
