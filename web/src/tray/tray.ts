import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { touch } from '@/api/stale'

export type Edit = Schemas['Edit']

// What was last taken out of the tray or lost its place in it, to be put back.
const undoable = ref<Schemas['EditInput'][]>([])

// inputOf is an edit as it was put into the tray.
const inputOf = (e: Edit): Schemas['EditInput'] => ({
  package: e.package,
  field: e.field as Schemas['EditInput']['field'],
  scope: { kind: e.scopeKind as Schemas['Scope']['kind'], ...(e.scopeKind === 'everywhere' ? {} : { id: e.scopeId }) },
  value: e.value,
  reason: e.reason,
})

// useTray is the person's unsent edits; they live on the server, so that two
// tabs and two computers see the same.
export function useTray() {
  const client = useQueryClient()
  const tray = useQuery({
    queryKey: ['tray'],
    queryFn: () => ask(api.GET('/api/v1/tray')).then((r) => r.items),
    refetchOnWindowFocus: 'always',
  })
  const edits = computed(() => tray.data.value ?? [])
  const refresh = () => touch('tray')

  async function add(list: Schemas['EditInput'][]) {
    const added = await ask(api.POST('/api/v1/tray/edits', { body: { edits: list } }))
    undoable.value = added.displaced as Schemas['EditInput'][]
    await refresh()
  }
  async function remove(edit: Edit) {
    await ask(api.DELETE('/api/v1/tray/edits/{id}', { params: { path: { id: edit.id } } }))
    // What takes a trial out again has no form of its own to put back.
    undoable.value = edit.takes ? [] : [inputOf(edit)]
    await refresh()
  }
  async function undo() {
    const list = undoable.value
    undoable.value = []
    await add(list)
  }
  async function setReason(id: string, reason: string) {
    await ask(api.PUT('/api/v1/tray/edits/{id}/reason', { params: { path: { id } }, body: { reason } }))
    await refresh()
  }
  // send makes a change of edits; the key lets a retry not send twice.
  async function send(title: string, words: string, ids: string[], key: string) {
    const made = await ask(
      api.POST('/api/v1/changes', {
        params: { header: { 'Idempotency-Key': key } },
        body: { title, words, edits: ids },
      }),
    )
    undoable.value = []
    // They are gone from the tray at once, not only when it has been read again.
    client.setQueryData<Edit[]>(['tray'], (list) => list?.filter((e) => !ids.includes(e.id)))
    return made.id
  }
  // settle shows what sending has moved.
  const settle = () => touch('tray', 'changes')
  async function reopen(id: string) {
    await ask(api.POST('/api/v1/edits/{id}/reopen', { params: { path: { id } } }))
    await refresh()
  }
  return { tray, edits, undoable, add, remove, undo, setReason, send, settle, reopen }
}

// useTrayForesight tells what a reviewer would ask about some of the edits, and
// what they would do.
export function useTrayForesight(ids: () => string[], wanted: () => boolean) {
  const check = useQuery({
    queryKey: computed(() => ['tray-check', ids()]),
    enabled: computed(() => wanted() && ids().length > 0),
    placeholderData: (before) => before,
    queryFn: () => ask(api.POST('/api/v1/tray/check', { body: { edits: ids() } })),
  })
  const effect = useQuery({
    queryKey: computed(() => ['tray-knock-on', ids()]),
    enabled: computed(() => ids().length > 0),
    placeholderData: (before) => before,
    queryFn: () => ask(api.POST('/api/v1/tray/knock-on', { body: { edits: ids() } })),
  })
  return { check, effect }
}
