// Hears from the server what others have changed, while somebody looks at the
// page. A browser has few connections to one server: a page in the background
// has none, and reads everything anew when it comes to the front.
import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, watch } from 'vue'
import type { Schemas } from './client'
import { subjectsOf, touch, type Told } from './stale'

// A run tells of each of its steps: what comes close together is read once.
const gathered = 500

const everything: Told[] = [
  'captures',
  'changes',
  'cover',
  'desk',
  'notices',
  'people',
  'profiles',
  'releases',
  'rules',
  'run',
  'tray',
]

// useLive keeps what is on screen as it is on the server, until the component
// that calls it is gone or the condition is no longer met.
export function useLive(wanted: () => boolean) {
  const visibility = useDocumentVisibility()
  let source: EventSource | undefined
  let timer: ReturnType<typeof setTimeout> | undefined
  const waiting = new Set<Told>()
  // The first "everything" of a page that has just been read says nothing new.
  let fresh = true

  function hear(topic: Schemas['StaleTopic']['topic']) {
    if (topic === 'nothing') return
    if (topic !== 'everything') waiting.add(topic)
    else if (!fresh) for (const each of everything) waiting.add(each)
    fresh = false
    timer ??= setTimeout(() => {
      timer = undefined
      const topics = [...waiting]
      waiting.clear()
      if (subjectsOf(topics).size) void touch(...topics)
    }, gathered)
  }
  function close() {
    source?.close()
    source = undefined
  }
  watch(
    [visibility, wanted],
    ([visible, want]) => {
      if (visible !== 'visible' || !want) return close()
      if (source) return
      source = new EventSource('/api/v1/events')
      source.addEventListener('changed', (e: MessageEvent<string>) =>
        hear((JSON.parse(e.data) as Schemas['StaleTopic']).topic),
      )
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    close()
    clearTimeout(timer)
  })
}
