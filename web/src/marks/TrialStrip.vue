<script setup lang="ts">
// The trial strip: one tick a trial, nearest firmware first, a gap where the
// firmware is farther. See core/evidence.Strip for the letters. Ticks of one
// kind are one path: thousands of strips scroll by in the Ledger.
import { computed } from 'vue'
import { count } from '@/format/numbers'
import { outcomeWord } from '@/format/vocabulary'

const props = withDefaults(defineProps<{ strip: string; height?: number; step?: number; most?: number }>(), {
  height: 20,
  step: 4.5,
  most: 0,
})

const foot = computed(() => props.height - 3)
const drawn = computed(() => {
  const to = foot.value
  const short = to - props.height * 0.3
  const paths = { clean: '', lost: '', fault: '', noStart: '', refused: '', back: '' }
  let x = 2
  let left = 0
  for (const letter of props.strip) {
    if (letter === '/') {
      x += 5
      continue
    }
    if (props.most && x > props.most - 26) {
      left++
      continue
    }
    const kind = letter.toLowerCase()
    if (kind === 'c') paths.clean += `M${x} ${short}V${to}`
    else if (kind === 'l') paths.lost += `M${x - 1.3} 3.5h2.6V${to - 0.5}h-2.6z`
    else if (kind === 'f') paths.fault += `M${x} 3V${to}`
    else if (kind === 'n') paths.noStart += `M${x} 3V${to}M${x - 3} 4h6`
    else paths.refused += `M${x} ${to - 2}h.01`
    if (kind !== letter) paths.back += `M${x} ${to}q0 2.8 2.8 2`
    x += props.step
  }
  return { paths, width: Math.max(x, 8), left }
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
</script>

<template>
  <svg :width="drawn.width + (drawn.left ? 22 : 0)" :height="height" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <line x1="0" :y1="foot + 0.5" :x2="drawn.width - 2" :y2="foot + 0.5" stroke="var(--hair)" />
    <path v-if="drawn.paths.clean" :d="drawn.paths.clean" stroke="var(--ink)" stroke-width="1.7" />
    <path v-if="drawn.paths.lost" :d="drawn.paths.lost" fill="var(--sheet)" stroke="var(--harm)" />
    <path v-if="drawn.paths.fault" :d="drawn.paths.fault" stroke="var(--harm)" stroke-width="2.4" />
    <path v-if="drawn.paths.noStart" :d="drawn.paths.noStart" stroke="var(--harm)" stroke-width="2.4" />
    <path
      v-if="drawn.paths.refused"
      :d="drawn.paths.refused"
      stroke="var(--faint)"
      stroke-width="2.8"
      stroke-linecap="round"
    />
    <path v-if="drawn.paths.back" :d="drawn.paths.back" fill="none" stroke="var(--ink)" />
    <text v-if="drawn.left" :x="drawn.width" :y="foot" font-size="11" fill="var(--second)">+{{ drawn.left }}</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible; /* nothing hangs over, and each that is cut off costs time while a list scrolls */
}
</style>
