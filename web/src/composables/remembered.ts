// What a place remembers of itself for its entry in the browser's history: Back
// and a reload bring it back, another visit begins anew.
import { onScopeDispose, ref, watch, type Ref } from 'vue'

interface Entry {
  position?: number
  remembered?: Record<string, unknown>
}
const entry = () => (window.history.state ?? {}) as Entry

// What is still to be written into which entry: browsers refuse to write at each
// press of a key that is held down.
let pending: { position?: number; values: Record<string, unknown> } | undefined
let timer: ReturnType<typeof setTimeout> | undefined

// writeRemembered writes what is pending. The router calls it before it leaves an
// entry, and the page before it goes away; where the browser has left already,
// what came last is lost.
export function writeRemembered() {
  clearTimeout(timer)
  timer = undefined
  const state = entry()
  if (pending && pending.position === state.position)
    window.history.replaceState({ ...state, remembered: { ...state.remembered, ...pending.values } }, '')
  pending = undefined
}

function write(name: string, value: unknown) {
  const { position } = entry()
  if (pending?.position !== position) writeRemembered()
  pending ??= { position, values: {} }
  pending.values[name] = value
  timer ??= setTimeout(writeRemembered, 150)
}

// useRemembered is a value that the history's entry keeps under a name, which no
// other value of the page has. It has to be plain: text, numbers, lists and
// objects of such.
export function useRemembered<T>(name: string, initial: T): Ref<T> {
  const kept = entry().remembered?.[name] as T | undefined
  const value = ref(kept ?? initial) as Ref<T>
  const stop = watch(value, (now) => write(name, JSON.parse(JSON.stringify(now ?? null))), { deep: true })
  onScopeDispose(stop)
  return value
}
