<script setup lang="ts">
// A word that opens a small panel below itself, which takes the focus.
import { ref } from 'vue'

defineProps<{ word: string }>()
const open = ref(false)
const close = () => (open.value = false)
</script>

<template>
  <v-menu v-model="open" location="bottom end" :offset="6" :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <button class="word second" v-bind="menu">{{ word }} ▾</button>
    </template>
    <div v-focus class="panel" role="dialog" :aria-label="word"><slot :close="close" /></div>
  </v-menu>
</template>

<style scoped>
.word {
  white-space: nowrap;
  padding: 2px 0;
}
.panel {
  min-width: 220px;
  max-height: 60vh;
  overflow: auto;
  padding: 10px 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
</style>
