<script setup lang="ts">
// The margin: what is under the cursor, in short. Places put their own words
// into #margin; its width is remembered, and it can be closed.
import { useEventListener, useLocalStorage } from '@vueuse/core'
import { ref } from 'vue'
import { useKeys } from '@/composables/keys'

const width = useLocalStorage('roster-margin', 288)
const open = useLocalStorage('roster-margin-open', true)
const dragging = ref(false)

useEventListener('pointermove', (e: PointerEvent) => {
  if (dragging.value) width.value = Math.min(Math.max(window.innerWidth - e.clientX, 220), 520)
})
useEventListener('pointerup', () => (dragging.value = false))
useKeys([{ keys: ['m'], does: 'open or close the margin', run: () => (open.value = !open.value) }])
</script>

<template>
  <aside v-show="open" class="margin" aria-label="Margin" :style="{ width: `${width}px` }">
    <div
      class="edge"
      role="separator"
      tabindex="0"
      aria-orientation="vertical"
      aria-label="Width of the margin"
      :aria-valuenow="width"
      aria-valuemin="220"
      aria-valuemax="520"
      @pointerdown.prevent="dragging = true"
      @keydown.left="width = Math.min(width + 16, 520)"
      @keydown.right="width = Math.max(width - 16, 220)"
    />
    <div id="margin" class="content" tabindex="0" />
  </aside>
  <button v-show="!open" class="closed" aria-label="Open the margin" @click="open = true">‹</button>
</template>

<style scoped>
.margin {
  position: relative;
  background: var(--soft);
  border-left: 1px solid var(--hair);
  min-height: 0;
}
.edge {
  position: absolute;
  inset: 0 auto 0 -3px;
  width: 6px;
  cursor: col-resize;
  z-index: 2;
}
.content {
  height: 100%;
  overflow: auto;
  padding: 16px;
  display: flex;
  flex-direction: column;
}
.content:focus-visible {
  outline-offset: -2px;
}
.content > :deep(*) {
  flex: none;
}
.content :deep(h2) {
  margin: 16px 0 4px;
}
.content :deep(.keys) {
  margin-top: auto;
  padding-top: 16px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  color: var(--second);
}
.closed {
  background: var(--soft);
  border-left: 1px solid var(--hair);
  width: 16px;
  text-align: center;
}
</style>
