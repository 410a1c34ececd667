// Hears from the server what others have changed, while somebody looks at the
// page. A browser has few connections to one server: a page in the background
// has none, and reads everything anew when it comes to the front.
import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, watch } from 'vue'
import type { Schemas } from './client'
import { follow } from './events'
import { everything, touch, type Told } from './stale'

// What comes close together is read once; what others did is seen within a second.
const gathered = 400

// useLive keeps what is on screen as it is on the server, until the component
// that calls it is gone or the condition is no longer met.
export function useLive(wanted: () => boolean) {
  const visibility = useDocumentVisibility()
  let end: (() => void) | undefined
  let timer: ReturnType<typeof setTimeout> | undefined
  const waiting = new Set<Told>()
  // The first "everything" of a page that was opened to be looked at says
  // nothing new, if it came at once.
  let fresh = visibility.value === 'visible'

  function hear({ topic }: Schemas['StaleTopic']) {
    if (topic === 'nothing') return
    if (topic !== 'everything') waiting.add(topic)
    else if (!fresh) for (const each of everything) waiting.add(each)
    fresh = false
    timer ??= setTimeout(() => {
      timer = undefined
      const topics = [...waiting]
      waiting.clear()
      void touch(...topics)
    }, gathered)
  }
  function close() {
    end?.()
    end = undefined
  }
  watch(
    [visibility, wanted],
    ([visible, want]) => {
      if (visible !== 'visible' || !want) return close()
      end ??= follow('/api/v1/events', { changed: hear }, () => (fresh = false))
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    close()
    clearTimeout(timer)
  })
}
