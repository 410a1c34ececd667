// The cursor of a list: j and k move it, a click sets it, what it is on scrolls
// into view and is told to a screen reader. The pointer alone never moves it.
import { computed, nextTick, ref, watch, type Ref } from 'vue'
import { useKeys } from './keys'
import { useRemembered } from './remembered'

interface Options<T> {
  // name is the list's own in its page; ids of its rows begin with it.
  name: string
  // of says what one of them is called: package, line.
  of: string
  // key tells one item from the others for as long as the list lives.
  key: (item: T) => string
  // as says what the list is to a screen reader: a grid, whose rows hold cells, or
  // a group of whatever else, such as forms below headings. A grid unless said.
  as?: 'grid' | 'group'
  next?: string[]
  before?: string[]
  // scrollTo brings an item into view where its row may not be drawn.
  scrollTo?: (index: number) => void
  // moved is called after somebody has moved it.
  moved?: () => void
}

// cursorAt is where the cursor is in a list that may have changed: on the item
// that it was on; where that has gone, on what has come to its place.
export function cursorAt(keys: readonly string[], on: string | undefined, was: number): number {
  const found = on === undefined ? -1 : keys.indexOf(on)
  return found >= 0 ? found : Math.max(0, Math.min(was, keys.length - 1))
}

// rowId is an element's id: whatever a key is made of, it has no space.
export const rowId = (list: string, key: string) => `${list}-${encodeURIComponent(key)}`

export function useCursor<T>(items: Ref<readonly T[]>, o: Options<T>) {
  const on = useRemembered<{ key?: string; index: number }>(`${o.name}.cursor`, { index: 0 })
  const restored = ref(on.value.key !== undefined)
  const keys = computed(() => items.value.map(o.key))
  const index = computed(() => cursorAt(keys.value, on.value.key, on.value.index))
  const current = computed<T | undefined>(() => items.value[index.value])
  const id = (item: T) => rowId(o.name, o.key(item))

  function show() {
    if (o.scrollTo) o.scrollTo(index.value)
    else
      void nextTick(() => {
        const item = current.value
        if (item) document.getElementById(id(item))?.scrollIntoView({ block: 'nearest' })
      })
  }
  // to puts it on an item, by its place; at the end where there are fewer.
  function to(place: number) {
    const i = Math.max(0, Math.min(place, items.value.length - 1))
    on.value = { key: keys.value[i], index: i }
    show()
    o.moved?.()
  }
  const put = (item: T) => to(keys.value.indexOf(o.key(item)))
  const move = (by: number) => to(index.value + by)
  const reset = () => (on.value = { index: 0 })
  // What was remembered is looked for once the items are there.
  const stop = watch(
    () => items.value.length > 0,
    (any) => {
      if (!any) return
      if (restored.value) void nextTick(show)
      queueMicrotask(() => stop())
    },
    { immediate: true, flush: 'post' },
  )
  useKeys([
    { keys: o.next ?? ['j', 'ArrowDown'], does: `next ${o.of}`, run: () => move(1) },
    { keys: o.before ?? ['k', 'ArrowUp'], does: `${o.of} before`, run: () => move(-1) },
  ])
  // list and row are bound to the elements.
  const list = computed(() => ({
    role: o.as ?? 'grid',
    tabindex: 0,
    'aria-activedescendant': current.value === undefined ? undefined : id(current.value),
  }))
  const row = (item: T) =>
    o.as === 'group'
      ? { id: id(item), 'aria-current': item === current.value }
      : { id: id(item), role: 'row', 'aria-selected': item === current.value }
  return { index, current, to, put, move, reset, list, row }
}

export type Cursor<T> = ReturnType<typeof useCursor<T>>
