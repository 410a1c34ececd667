<script setup lang="ts">
// How a release differs from the one before, as the server has computed it: all
// of it is there, the first lines at once.
import { computed, ref } from 'vue'
import { count } from '@/format/numbers'

const props = defineProps<{ lines: readonly string[] }>()
const most = 8
const all = ref(false)
const shown = computed(() => (all.value || props.lines.length <= most + 1 ? props.lines : props.lines.slice(0, most)))
</script>

<template>
  <ul>
    <li v-for="(l, i) in shown" :key="i" dir="auto">{{ l }}</li>
  </ul>
  <button v-if="shown.length < lines.length" class="link" @click="all = true">
    and {{ count(lines.length - shown.length, 'more line') }}
  </button>
</template>

<style scoped>
ul {
  margin: 2px 0 6px 14px;
  list-style: disc;
  max-height: 30vh;
  overflow: auto;
}
</style>
