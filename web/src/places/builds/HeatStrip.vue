<script setup lang="ts">
// A cell a build, oldest first: the darker, the more of it was tried. No
// traffic lights: what was tried less is paler, not worse.
import { computed } from 'vue'
import { nameOf, percent, type Cover } from './builds'
import { count } from '@/format/numbers'

const props = withDefaults(defineProps<{ builds: Cover[]; cell?: number; height?: number }>(), { cell: 9, height: 16 })
// Steps of the share that was tried; the first stands for nothing at all.
const steps = [0, 0.16, 0.36, 0.62, 1]
const shade = (b: Cover) => {
  if (!b.tried) return steps[0]
  const share = b.tried / b.packages
  return share < 0.1 ? steps[1] : share < 0.25 ? steps[2] : share < 0.5 ? steps[3] : steps[4]
}
const say = (b: Cover) =>
  b.packages
    ? `${nameOf(b)}: ${count(b.packages, 'package')}, ${percent(b.graded, b.packages)} % graded, ${percent(b.tried, b.packages)} % tried`
    : `${nameOf(b)}: nobody captured it`
const words = computed(
  () => `${count(props.builds.length, 'build')}, ${props.builds.filter((b) => b.packages).length} captured`,
)
</script>

<template>
  <svg :width="Math.max(1, builds.length) * cell" :height="height" role="img" :aria-label="words">
    <rect
      v-for="(b, i) in builds"
      :key="b.id"
      :x="i * cell + 0.5"
      y="1.5"
      :width="cell - 2"
      :height="height - 3"
      :fill="b.packages ? 'var(--ink)' : 'none'"
      :fill-opacity="b.packages ? shade(b) : 0"
      :stroke="b.packages ? 'var(--ink)' : 'var(--faint)'"
      stroke-width="0.7"
      :stroke-dasharray="b.packages ? undefined : '2 1.5'"
    >
      <title>{{ say(b) }}</title>
    </rect>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
</style>
