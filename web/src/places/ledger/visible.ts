// The lines that are in sight, out of thousands.
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, ref, watch, type Ref } from 'vue'
import type { Line } from './lines'

// The head scrolls with the rows and stays on top, so that its columns are
// exactly theirs.
const headHeight = 52
const overscan = 12

// useVisibleLines asks for more where the last lines come near.
export function useVisibleLines(shown: Ref<Line[]>, more: () => void) {
  const body = ref<HTMLElement>()
  // What is out of sight is drawn once what is in sight stands.
  const beyond = ref(0)
  watch(
    () => shown.value.length > 0,
    (some) => some && beyond.value === 0 && requestAnimationFrame(() => setTimeout(() => (beyond.value = overscan))),
    { immediate: true },
  )
  const virtual = useVirtualizer(
    computed(() => ({
      count: shown.value.length,
      getScrollElement: () => body.value ?? null,
      estimateSize: () => 26,
      overscan: beyond.value,
      scrollMargin: headHeight,
      scrollPaddingStart: headHeight,
    })),
  )
  // Rows that scroll out of sight are drawn over with those that come in: making
  // new ones would cost frames. There are never more at once than the pool has.
  const pool = computed(() => Math.ceil((virtual.value.scrollRect?.height ?? 1200) / 26) + 2 * overscan + 8)
  const visible = computed(() =>
    virtual.value.getVirtualItems().map((item) => ({
      key: item.index % pool.value,
      index: item.index,
      start: item.start,
      line: shown.value[item.index],
    })),
  )
  watch(
    () => visible.value.at(-1)?.index,
    (last) => {
      if (last !== undefined && last > shown.value.length - 60) more()
    },
  )
  return { body, headHeight, virtual, visible }
}
