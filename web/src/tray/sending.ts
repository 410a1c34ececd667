// Sends what goes from the tray, once, also where the answer was lost.
import { ref, watch, type Ref } from 'vue'
import { ProblemError } from '@/api/client'
import { useTray } from './tray'

// What is on its way, or was when the server stopped answering: it may have
// arrived.
interface Sending {
  title: string
  why: string
  ids: string[]
  key: string
}

interface What {
  title: Ref<string>
  why: Ref<string>
  // The ids of the edits that go.
  going: Ref<string[]>
  busy: Ref<boolean>
  run: (act: () => Promise<unknown>) => Promise<unknown>
}

// useSending calls done when something was sent and the tray was read anew.
export function useSending({ title, why, going, busy, run }: What, done: () => void) {
  const { edits, send, settle } = useTray()
  // The change that was sent last.
  const sent = ref('')
  const unsure = ref<Sending>()
  let key = crypto.randomUUID()
  // A changed choice is another sending.
  watch([going, title, why], () => (key = crypto.randomUUID()))

  async function sendNow(s: Sending) {
    unsure.value = s
    await run(async () => {
      const said = [s.title, s.why]
      try {
        sent.value = await send(s.title.trim(), s.why.trim(), s.ids, s.key)
        unsure.value = undefined
      } catch (e) {
        if (e instanceof ProblemError && e.status > 0) unsure.value = undefined // it was refused
        throw e
      }
      // What is written meanwhile is of the next change.
      if (title.value === said[0]) title.value = ''
      if (why.value === said[1]) why.value = ''
      await settle()
      done()
    })
  }
  // It did arrive where its edits have left the tray: sent with the same key once
  // more, the server tells which change they became.
  watch(edits, (list) => {
    const s = unsure.value
    if (!s || busy.value || list.some((e) => s.ids.includes(e.id))) return
    void sendNow(s)
  })

  const sendOff = () => sendNow({ title: title.value, why: why.value, ids: going.value, key })
  return { sent, sendOff }
}
