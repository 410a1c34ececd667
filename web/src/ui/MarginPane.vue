<script setup lang="ts">
// The margin: what is under the cursor, in short. Places put their own words
// into #margin; its width is remembered, and it can be closed. Where the window
// is narrow, or what it shows is large, it stands below the page.
import { useEventListener, useLocalStorage, useMediaQuery } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useKeys } from '@/composables/keys'

const width = useLocalStorage('roster-margin', 288)
const openBeside = useLocalStorage('roster-margin-open', true)
const openBelow = useLocalStorage('roster-margin-below', false)
const below = useMediaQuery('(max-width: 720px)')
const open = computed({
  get: () => (below.value ? openBelow.value : openBeside.value),
  set: (now) => ((below.value ? openBelow : openBeside).value = now),
})
const dragging = ref(false)

useEventListener('pointermove', (e: PointerEvent) => {
  if (dragging.value) width.value = Math.min(Math.max(window.innerWidth - e.clientX, 220), 520)
})
useEventListener('pointerup', () => (dragging.value = false))
useKeys([{ keys: ['m'], does: 'open or close the margin', run: () => (open.value = !open.value) }])
</script>

<template>
  <aside
    v-show="open || below"
    class="margin"
    :class="{ below }"
    aria-label="Margin"
    :style="below ? undefined : { width: `${width}px` }"
  >
    <button v-if="below" class="fold" :aria-expanded="open" aria-controls="margin" @click="open = !open">
      {{ open ? '▾' : '▴' }} In short
    </button>
    <div
      v-else
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
    <div v-show="open" id="margin" class="content" tabindex="0" />
  </aside>
  <button v-show="!open && !below" class="closed" aria-label="Open the margin" @click="open = true">‹</button>
</template>

<style scoped>
.margin {
  position: relative;
  background: var(--soft);
  border-left: 1px solid var(--hair);
  min-height: 0;
}
.margin.below {
  display: flex;
  flex-direction: column;
  max-height: 45dvh;
  border-left: 0;
  border-top: 1px solid var(--hair);
}
.margin.below:has(#margin:empty) {
  display: none;
}
.fold {
  flex: none;
  width: 100%;
  padding: 4px 14px;
  text-align: left;
}
.fold:focus-visible {
  outline-offset: -2px;
}
.below .content {
  height: auto;
  padding-top: 4px;
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
