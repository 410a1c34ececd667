// Which rows are marked, for one thing to be done to all of them. They stay
// marked while a filter hides them, and through Back and a reload.
import { useLocalStorage } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { useRemembered } from './remembered'

// Whether x goes on to the next row after it has marked one; this browser
// remembers it.
const steps = useLocalStorage('roster-mark-steps', true)
export const useMarkSteps = () => steps

// toggled turns items on or off among those that are marked; without a wish each
// becomes what it was not.
export function toggled<T>(marked: readonly T[], key: (item: T) => string, items: readonly T[], wish?: boolean): T[] {
  const next = new Map(marked.map((item) => [key(item), item]))
  for (const item of items) {
    if (wish ?? !next.has(key(item))) next.set(key(item), item)
    else next.delete(key(item))
  }
  return [...next.values()]
}

// useMarking keeps what is remembered of each marked item: kept makes that of
// it. Shown are the items in their order, for what is marked from one to another.
export function useMarking<T extends M, M>(
  name: string,
  shown: Ref<readonly T[]>,
  key: (item: M) => string,
  kept: (item: T) => M,
) {
  const marked = useRemembered<M[]>(`${name}.marked`, [])
  const keys = computed(() => new Set(marked.value.map(key)))
  const has = (item: M) => keys.value.has(key(item))
  const mark = (items: readonly T[], wish?: boolean) =>
    (marked.value = toggled(marked.value, key, items.map(kept), wish))
  // click marks as lists do: with Ctrl one row, with Shift all from the cursor.
  function click(e: MouseEvent, cursor: number, to: number) {
    const item = shown.value[to]
    if (e.shiftKey) mark(shown.value.slice(Math.min(cursor, to), Math.max(cursor, to) + 1), true)
    else if ((e.ctrlKey || e.metaKey) && item) mark([item])
  }
  const clear = () => (marked.value = [])
  return { marked, has, mark, click, clear }
}
