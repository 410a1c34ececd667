<script setup lang="ts">
// The line across the ranked packages: dragged, or moved by keys.
import { ref } from 'vue'
import { ceiling, count } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'
import KeyCap from '@/ui/KeyCap.vue'
import type { Rules } from './profile'

const props = defineProps<{ rules: Rules; goes: number; editable: boolean }>()
const emit = defineEmits<{
  // To so many pixels from the top of the window.
  drag: [to: number]
  // By so many of the ceilings that packages have.
  step: [by: number]
}>()
const dragging = ref(false)
function start(e: PointerEvent) {
  if (!props.editable) return
  dragging.value = true
  ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
}
</script>

<template>
  <div
    class="cut"
    role="slider"
    tabindex="0"
    aria-label="Cut line: the highest harm ceiling that may go"
    aria-valuemin="0"
    aria-valuemax="100"
    :aria-valuenow="Math.round(rules.highestCeiling * 100)"
    :aria-valuetext="`no more than ${ceiling(rules.highestCeiling)} harmed, ${count(goes, 'package goes', 'packages go')}`"
    :class="{ still: !editable }"
    @pointerdown="start"
    @pointermove="dragging && emit('drag', $event.clientY)"
    @pointerup="dragging = false"
    @pointercancel="dragging = false"
    @keydown.down.exact.prevent.stop="emit('step', 1)"
    @keydown.up.exact.prevent.stop="emit('step', -1)"
    @keydown.page-down.exact.prevent.stop="emit('step', 10)"
    @keydown.page-up.exact.prevent.stop="emit('step', -10)"
    @keydown.home.exact.prevent.stop="emit('step', -Infinity)"
    @keydown.end.exact.prevent.stop="emit('step', Infinity)"
  >
    <b>Cut line</b>
    <span>no more than {{ loadWord[rules.highestLoad] }}, no more than {{ ceiling(rules.highestCeiling) }} harmed</span>
    <span class="hint"><KeyCap of="⇧↑" /> <KeyCap of="⇧↓" /></span>
  </div>
</template>

<style scoped>
.cut {
  position: sticky;
  top: 27px;
  bottom: 0;
  z-index: 1;
  display: flex;
  align-items: center;
  gap: 12px;
  height: 30px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-ink);
  cursor: row-resize;
  touch-action: none;
  user-select: none;
}
.cut.still {
  cursor: default;
}
.cut::after {
  content: '';
  position: absolute;
  inset: 100% 0 auto;
  height: 5px;
  background: repeating-linear-gradient(135deg, var(--faint) 0 3px, transparent 3px 8px);
  opacity: 0.5;
}
.cut b,
.cut .hint {
  white-space: nowrap;
}
.cut span {
  color: var(--bar-second);
}
.cut b + span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.hint {
  margin-left: auto;
}
.hint :deep(kbd) {
  background: none;
  color: inherit;
}
@container (max-width: 520px) {
  .hint {
    display: none;
  }
}
</style>
