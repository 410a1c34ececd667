<script setup lang="ts">
// The share of phones harmed, from floor to ceiling, on a line from none to
// all.
import { computed } from 'vue'
import { ceiling as up, floor as down } from '@/format/numbers'

const props = withDefaults(defineProps<{ floor: number; ceiling: number; width?: number }>(), { width: 256 })
const at = (share: number) => 6 + share * (props.width - 12)
const words = computed(() => `Between ${down(props.floor)} and ${up(props.ceiling)} of phones harmed`)
</script>

<template>
  <svg :width="width" height="22" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <line x1="6" y1="11" :x2="width - 6" y2="11" stroke="var(--hair)" />
    <line v-for="t in [0, 0.25, 0.5, 0.75, 1]" :key="t" :x1="at(t)" :x2="at(t)" y1="8" y2="14" stroke="var(--hair)" />
    <rect
      :x="at(floor)"
      y="7"
      :width="Math.max(at(ceiling) - at(floor), 1)"
      height="8"
      fill="var(--load-2)"
      opacity=".35"
    />
    <path :d="`M${at(floor)} 5v12M${at(ceiling)} 5v12`" stroke="var(--ink)" stroke-width="1.6" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
</style>
