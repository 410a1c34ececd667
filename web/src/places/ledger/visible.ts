// The lines that are in sight, out of thousands.
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, ref, watch, type Ref } from 'vue'
import { onceDrawn } from '@/composables/drawn'
import type { Line } from './lines'

// The head scrolls with the rows and stays on top, so that its columns are
// exactly theirs.
const headHeight = 52
// What stands above and below, about.
const around = 150
// Lines drawn out of sight: as many ahead of where it is scrolled to, few behind.
const ahead = 12
const behind = 3

// inSlots gives each line in sight a row to be drawn in: the one that it had, or one
// whose line has gone out of sight. Making new rows would cost frames, and so would
// moving them: the rows stand as they stood before.
export function inSlots(lines: readonly number[], before: ReadonlyMap<number, number>): Map<number, number> {
  const sight = new Set(lines)
  const come = lines.filter((line) => !before.has(line))
  const slots = [...before].flatMap(([line, slot]) => {
    const now = sight.has(line) ? line : come.shift()
    return now === undefined ? [] : [[now, slot] as const]
  })
  let last = Math.max(-1, ...before.values())
  return new Map([...slots, ...come.map((line) => [line, ++last] as const)])
}

// useVisibleLines asks for more where the last lines come near.
export function useVisibleLines(shown: Ref<Line[]>, more: () => void) {
  const body = ref<HTMLElement>()
  // What is out of sight is drawn once what is in sight stands, and how much that is
  // is measured then: before, a browser would have to lay out the page for it.
  const drawn = ref(false)
  watch(
    () => shown.value.length > 0,
    (some) => some && !drawn.value && onceDrawn(() => (drawn.value = true)),
    { immediate: true },
  )
  let back = false
  const virtual: ReturnType<typeof useVirtualizer<HTMLElement, HTMLElement>> = useVirtualizer(
    computed(() => ({
      count: shown.value.length,
      getScrollElement: () => (drawn.value && body.value) || null,
      estimateSize: () => 26,
      // Until it is measured.
      initialRect: { width: innerWidth, height: innerHeight - around },
      overscan: drawn.value ? ahead : 0,
      rangeExtractor: ({ startIndex, endIndex, overscan, count }) => {
        if (virtual.value.scrollDirection) back = virtual.value.scrollDirection === 'backward'
        const [above, below] = back ? [overscan, behind] : [behind, overscan]
        const first = Math.max(0, startIndex - above)
        return Array.from({ length: Math.min(count - 1, endIndex + below) - first + 1 }, (_, i) => first + i)
      },
      scrollMargin: headHeight,
      scrollPaddingStart: headHeight,
    })),
  )
  // At rest they stand in the order in which they are read.
  let slots = new Map<number, number>()
  const visible = computed(() => {
    const items = new Map(virtual.value.getVirtualItems().map((item) => [item.index, item.start]))
    slots = inSlots([...items.keys()], slots)
    if (!virtual.value.isScrolling) slots = new Map([...slots].sort(([a], [b]) => a - b))
    return [...slots].map(([index, slot]) => ({ slot, index, start: items.get(index)!, line: shown.value[index] }))
  })
  watch(
    () => Math.max(-1, ...visible.value.map((v) => v.index)),
    (last) => {
      if (last >= 0 && last > shown.value.length - 60) more()
    },
  )
  return { body, headHeight, virtual, visible }
}
