<script setup lang="ts">
// The load mark: a footing with courses of blocks on it. The shape carries
// the meaning; colour only helps.
import { computed } from 'vue'
import { loadWord } from '@/format/vocabulary'

const props = withDefaults(defineProps<{ load: string; size?: number; silent?: boolean }>(), { size: 16 })

const course = 3.8
const blocks: Record<string, [x: number, y: number, width: number][]> = {
  'leaned-on': [[6.3, 10.1, 9]],
  'tied-in': [
    [2, 10.1, 8.2],
    [11.2, 10.1, 8.2],
    [6.3, 5.5, 9],
  ],
  'load-bearing': [
    [0.4, 10.1, 6.2],
    [7.6, 10.1, 6.2],
    [14.8, 10.1, 6.2],
    [3.6, 5.5, 6.6],
    [11.2, 5.5, 6.6],
    [0.4, 0.9, 20.6],
  ],
}
const fill: Record<string, string> = {
  'leaned-on': 'var(--load-2)',
  'tied-in': 'var(--load-3)',
  'load-bearing': 'var(--load-4)',
}
const name = computed(() => loadWord[props.load] ?? props.load)
</script>

<template>
  <svg
    :width="size * 1.35"
    :height="size"
    viewBox="0 0 21.6 16"
    :role="silent ? undefined : 'img'"
    :aria-hidden="silent || undefined"
    :aria-label="silent ? undefined : name"
  >
    <title v-if="!silent">{{ name }}</title>
    <rect
      v-for="(b, i) in blocks[load] ?? []"
      :key="i"
      :x="b[0]"
      :y="b[1]"
      :width="b[2]"
      :height="course"
      :fill="fill[load]"
    />
    <line
      x1="0"
      y1="15"
      x2="21.6"
      y2="15"
      stroke-width="1.7"
      :stroke="load === 'unproven' ? 'var(--faint)' : 'var(--ink)'"
      :stroke-dasharray="load === 'unproven' ? '2.4 1.8' : undefined"
    />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible; /* nothing hangs over, and each that is cut off costs time while a list scrolls */
  flex: none;
}
</style>
