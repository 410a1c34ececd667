// What somebody has begun and not sent, kept on the server for them alone: it is
// there after a reload, in another tab, and in a week.
import { useQuery, type QueryKey } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, onScopeDispose, ref, watch } from 'vue'
import { api, ask, ProblemError, queryClient, type Schemas } from '@/api/client'

interface Options<T> {
  key: QueryKey
  // read is what the server has; undefined for nothing.
  read: () => Promise<T | undefined>
  // write keeps it there; undefined lets it go. What is written as the page goes
  // away has to outlive it, for which browsers take little.
  write: (content: T | undefined, leaving: boolean) => Promise<unknown>
  // content is what the page has now; undefined for nothing, and as long as it
  // does not know.
  content: () => T | undefined
  // take puts what the server has into the page.
  take: (content: T | undefined) => void
  // ready says that the page can take something.
  ready: () => boolean
}

// lateAfter is how long somebody may go on before what they did is kept.
const lateAfter = 300
const againAfter = 5_000

// sorted writes objects with their names in order, so that what is equal is
// written equally by the page and by the server.
const sorted = (_: string, value: unknown) =>
  value && typeof value === 'object' && !Array.isArray(value)
    ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
    : value

export function useDraft<T>(o: Options<T>) {
  const told = (content: T | undefined) => (content === undefined ? '' : JSON.stringify(content, sorted))
  // What was read while something was being written may be older than that: it
  // is let go. What was written is told of, and read once more.
  let writes = 0
  let written = 0
  const query = useQuery({
    queryKey: o.key,
    queryFn: async () => {
      const [before, settled] = [writes, written === writes]
      const content = (await o.read()) ?? null
      return { content, current: settled && writes === before }
    },
    enabled: o.ready,
    gcTime: 0, // another visit asks the server
    staleTime: 0,
  })
  // saved is what the server has, as far as this page knows.
  let saved = ''
  let begun = false
  let sending = false
  const restored = ref(false)
  const unsaved = ref(false)
  let timer: ReturnType<typeof setTimeout> | undefined
  let writing: Promise<unknown> = Promise.resolve()

  watch(
    () => query.data.value,
    (data) => {
      if (!data?.current || !o.ready() || sending) return
      const there = told(data.content ?? undefined)
      const changedHere = told(o.content()) !== saved
      begun = true
      // What is being changed here and now is what somebody wants.
      if (there === saved || changedHere) return
      saved = there
      restored.value ||= there !== ''
      o.take(data.content ?? undefined)
    },
    { immediate: true },
  )

  function save(leaving = false) {
    clearTimeout(timer)
    timer = undefined
    const content = o.content()
    const now = told(content)
    if (!begun || sending) return
    if (now === saved) return void (unsaved.value = false)
    const before = saved
    saved = now
    writes++
    writing = writing
      .then(() => o.write(content, leaving))
      .finally(() => written++)
      .then(() => void (unsaved.value = timer !== undefined))
      .catch((e: unknown) => {
        if (saved === now) saved = before
        unsaved.value = true
        // What is refused is tried again once it is another.
        const refused = e instanceof ProblemError && e.status >= 400 && e.status < 500
        if (!refused && !sending) timer ??= setTimeout(save, againAfter)
      })
  }
  function soon() {
    if (!begun || sending || told(o.content()) === saved) return
    unsaved.value = true
    clearTimeout(timer)
    timer = setTimeout(save, lateAfter)
  }
  watch(() => told(o.content()), soon)
  useEventListener(window, 'pagehide', () => save(true))
  onScopeDispose(() => save())

  // send does what makes the draft needless, which the server then forgets by
  // itself. Nothing of the draft is under way meanwhile: what was written after,
  // or read before, would bring it back.
  async function send(work: () => Promise<unknown>) {
    clearTimeout(timer)
    timer = undefined
    sending = true
    try {
      await writing
      await work()
      await queryClient.cancelQueries({ queryKey: o.key })
      saved = told(o.content())
      unsaved.value = restored.value = false
    } finally {
      sending = false
      soon()
    }
  }
  return { restored, unsaved, send }
}

// useDrafts tells what somebody has begun and left.
export function useDrafts() {
  const drafts = useQuery({ queryKey: ['drafts'], queryFn: () => ask(api.GET('/api/v1/drafts')).then((r) => r.items) })
  const keys = computed(() => new Set(drafts.data.value?.map((d) => `${d.kind} ${d.subjectId}`)))
  const begun = (kind: Schemas['DraftLine']['kind'], id: string) => keys.value.has(`${kind} ${id}`)
  return { begun }
}
