<script setup lang="ts">
// The presence strip: one cell a build, oldest to newest. F ships it, H ships
// it switched off, E does not, N no capture.
import { computed } from 'vue'

const props = withDefaults(defineProps<{ cells: string; names?: string[]; cell?: number; height?: number }>(), {
  names: () => [],
  cell: 15,
  height: 17,
})

const means: Record<string, string> = { F: 'ships it', H: 'ships it switched off', E: 'not there', N: 'no capture' }
const words = computed(() => {
  const here = [...props.cells].filter((c) => c === 'F' || c === 'H').length
  return `On ${here} of ${props.cells.length} builds`
})
</script>

<template>
  <svg :width="cells.length * cell" :height="height" role="img" :aria-label="words">
    <g v-for="(c, i) in cells" :key="i" :transform="`translate(${i * cell + 0.5})`">
      <title>{{ names[i] ? `${names[i]}: ${means[c] ?? c}` : means[c] }}</title>
      <rect width="14" :height="height" fill="transparent" />
      <rect v-if="c === 'F'" y="1.5" :width="cell - 4" :height="height - 3" fill="var(--ink)" />
      <template v-else-if="c === 'H'">
        <rect x=".5" y="2" :width="cell - 5" :height="height - 4" fill="none" stroke="var(--ink)" />
        <rect :y="height / 2" :width="cell - 4" :height="height / 2 - 1.5" fill="var(--ink)" />
      </template>
      <rect v-else-if="c === 'E'" :y="height / 2 - 0.5" :width="cell - 4" height="1" fill="var(--hair)" />
      <rect
        v-else
        x=".5"
        y="2"
        :width="cell - 5"
        :height="height - 4"
        fill="none"
        stroke="var(--hair)"
        stroke-dasharray="2 2"
      />
    </g>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
</style>
