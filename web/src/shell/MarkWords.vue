<script setup lang="ts">
// Says in words what a mark shows: of the row under the cursor by a key, of any
// mark by a long touch. A mouse has the marks' titles.
import { onLongPress, useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { useKeys } from '@/composables/keys'

const words = ref<string[]>([])
const at = ref({ left: '12px', top: '56px' })

const told = (mark: Element) =>
  mark.getAttribute('aria-label') ?? mark.getAttribute('title') ?? mark.querySelector('title')?.textContent ?? ''
function say(marks: Element[], near: Element) {
  words.value = [...new Set(marks.map(told).filter(Boolean))]
  const box = near.getBoundingClientRect()
  const below = box.bottom + 8 + 24 * words.value.length < window.innerHeight
  at.value = {
    left: `${Math.max(8, Math.min(box.left, window.innerWidth - 328))}px`,
    top: `${below ? box.bottom + 4 : Math.max(8, box.top - 12 - 24 * words.value.length)}px`,
  }
}
const marked = '[role=img][aria-label], [title], svg:has(> title)'
useKeys([
  {
    keys: ['i'],
    does: 'say in words what is marked on this row',
    run: () => {
      const row = document.querySelector('#sheet [aria-selected=true], #sheet [aria-current=true]')
      if (row) say([...row.querySelectorAll(marked)], row)
    },
  },
])
onLongPress(
  document.body,
  (e) => {
    const mark = (e.target as Element).closest(marked)
    if (e.pointerType !== 'mouse' && mark) say([mark], mark)
  },
  { delay: 500 },
)
for (const gone of ['keydown', 'pointerdown', 'wheel'] as const)
  useEventListener(window, gone, () => (words.value = []), { capture: true, passive: true })
</script>

<template>
  <div v-if="words.length" class="words" role="status" :style="at">
    <p v-for="w in words" :key="w">{{ w }}</p>
  </div>
</template>

<style scoped>
.words {
  position: fixed;
  z-index: 2500;
  max-width: 320px;
  padding: 6px 10px;
  background: var(--bar);
  color: var(--bar-ink);
  font-size: 13px;
}
</style>
