<script setup lang="ts">
// A word that opens a small panel below itself.
import { onClickOutside } from '@vueuse/core'
import { ref } from 'vue'

defineProps<{ word: string }>()
const open = ref(false)
const root = ref<HTMLElement>()
const button = ref<HTMLButtonElement>()
onClickOutside(root, () => (open.value = false))
function close() {
  open.value = false
  button.value?.focus()
}
</script>

<template>
  <div ref="root" class="pop" @keydown.esc.stop="close">
    <button ref="button" class="word second" :aria-expanded="open" @click="open = !open">{{ word }} ▾</button>
    <div v-if="open" class="panel" role="group" :aria-label="word"><slot :close="close" /></div>
  </div>
</template>

<style scoped>
.pop {
  position: relative;
}
.word {
  white-space: nowrap;
  padding: 2px 0;
}
.panel {
  position: absolute;
  z-index: 6;
  right: 0;
  top: calc(100% + 6px);
  min-width: 220px;
  max-height: 60vh;
  overflow: auto;
  padding: 10px 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
</style>
