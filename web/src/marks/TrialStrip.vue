<script setup lang="ts">
// The trial strip: one tick a trial, nearest firmware first, a gap where the
// firmware is farther. See core/evidence.Strip for the letters.
import { computed } from 'vue'
import { count, outcomeWord } from '@/evidence/words'

const props = withDefaults(defineProps<{ strip: string; height?: number; step?: number; most?: number }>(), {
  height: 20,
  step: 4.5,
  most: 0,
})

interface Tick {
  x: number
  kind: string
  back: boolean
}

const drawn = computed(() => {
  const ticks: Tick[] = []
  let x = 2
  let left = 0
  for (const letter of props.strip) {
    if (letter === '/') {
      x += 5
      continue
    }
    if (props.most && x > props.most - 14) {
      left++
      continue
    }
    const kind = letter.toLowerCase()
    ticks.push({ x, kind, back: kind !== letter })
    x += props.step
  }
  return { ticks, width: Math.max(x, 8), left }
})

const kinds: Record<string, string> = { c: 'clean', l: 'function-lost', f: 'fault', n: 'no-start', r: 'refused' }
const words = computed(() => {
  if (!props.strip) return 'no trials'
  const n: Record<string, number> = {}
  let back = 0
  for (const letter of props.strip) {
    if (letter === '/') continue
    const kind = kinds[letter.toLowerCase()] ?? letter
    n[kind] = (n[kind] ?? 0) + 1
    if (letter !== letter.toLowerCase()) back++
  }
  const parts = Object.entries(n).map(([kind, k]) => `${k} ${outcomeWord[kind] ?? kind}`)
  if (back) parts.push(`${count(back, 'time')} it came back`)
  return `Trials: ${parts.join(', ')}`
})
const foot = computed(() => props.height - 3)
</script>

<template>
  <svg :width="drawn.width + (drawn.left ? 22 : 0)" :height="height" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <line x1="0" :y1="foot + 0.5" :x2="drawn.width - 2" :y2="foot + 0.5" stroke="var(--hair)" />
    <g v-for="(t, i) in drawn.ticks" :key="i">
      <line
        v-if="t.kind === 'c'"
        :x1="t.x"
        :x2="t.x"
        :y1="foot - height * 0.3"
        :y2="foot"
        stroke="var(--ink)"
        stroke-width="1.7"
      />
      <rect
        v-else-if="t.kind === 'l'"
        :x="t.x - 1.3"
        y="3.5"
        width="2.6"
        :height="foot - 4"
        fill="var(--sheet)"
        stroke="var(--harm)"
      />
      <line v-else-if="t.kind === 'f'" :x1="t.x" :x2="t.x" y1="3" :y2="foot" stroke="var(--harm)" stroke-width="2.4" />
      <path
        v-else-if="t.kind === 'n'"
        :d="`M${t.x} 3V${foot}M${t.x - 3} 4H${t.x + 3}`"
        stroke="var(--harm)"
        stroke-width="2.4"
      />
      <circle v-else :cx="t.x" :cy="foot - 2" r="1.4" fill="var(--faint)" />
      <path v-if="t.back" :d="`M${t.x} ${foot}q0 2.8 2.8 2`" fill="none" stroke="var(--ink)" />
    </g>
    <text v-if="drawn.left" :x="drawn.width" :y="foot" font-size="11" fill="var(--second)">+{{ drawn.left }}</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
</style>
