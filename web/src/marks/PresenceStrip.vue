<script setup lang="ts">
// The presence strip: one cell a build, oldest to newest. F ships it, H ships
// it switched off, E does not, N no capture.
import { computed } from 'vue'
import { count } from '@/format/numbers'

const props = withDefaults(defineProps<{ cells: string; names?: string[]; cell?: number; height?: number }>(), {
  names: () => [],
  cell: 15,
  height: 17,
})

const means: Record<string, string> = { F: 'ships it', H: 'ships it switched off', E: 'not there', N: 'no capture' }
const words = computed(() => {
  const here = [...props.cells].filter((c) => c === 'F' || c === 'H').length
  return `On ${here} of ${count(props.cells.length, 'build')}`
})
// Cells of one kind are one path: thousands of strips scroll by in the Ledger.
const paths = computed(() => {
  const width = props.cell - 4
  const middle = props.height / 2
  let full = ''
  let half = ''
  let outline = ''
  let empty = ''
  let unknown = ''
  ;[...props.cells].forEach((c, i) => {
    const x = i * props.cell + 0.5
    if (c === 'F') full += `M${x} 1.5h${width}v${props.height - 3}h${-width}z`
    else if (c === 'H') {
      half += `M${x} ${middle}h${width}v${middle - 1.5}h${-width}z`
      outline += `M${x + 0.5} 2h${width - 1}v${props.height - 4}h${1 - width}z`
    } else if (c === 'E') empty += `M${x} ${middle}h${width}`
    else unknown += `M${x + 0.5} 2h${width - 1}v${props.height - 4}h${1 - width}z`
  })
  return { filled: full + half, outline, empty, unknown }
})
</script>

<template>
  <svg :width="cells.length * cell" :height="height" role="img" :aria-label="words">
    <title v-if="!names.length">{{ words }}</title>
    <path v-if="paths.filled" :d="paths.filled" fill="var(--ink)" />
    <path v-if="paths.outline" :d="paths.outline" fill="none" stroke="var(--ink)" />
    <path v-if="paths.empty" :d="paths.empty" stroke="var(--hair)" />
    <path v-if="paths.unknown" :d="paths.unknown" fill="none" stroke="var(--hair)" stroke-dasharray="2 2" />
    <template v-if="names.length">
      <rect v-for="(c, i) in cells" :key="i" :x="i * cell" :width="cell" :height="height" fill="transparent">
        <title>{{ names[i] ? `${names[i]}: ${means[c] ?? c}` : means[c] }}</title>
      </rect>
    </template>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible; /* nothing hangs over, and each that is cut off costs time while a list scrolls */
}
</style>
