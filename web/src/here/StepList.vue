<script setup lang="ts">
// Steps of a run in words: ours, and the phone's.
import type { Step } from './messages'
import { t, type Key } from './words'
import { appName } from './wrote'

defineProps<{ steps: Step[] }>()

// doing is what a step does: what is quietened stays, and what is switched off is
// not taken off.
function doing(s: Step): string {
  if (s.kind === 'remove' && s.method && s.method !== 'remove-for-user') return s.method
  if (s.kind === 'put-back' && s.method === 'quieten') return 'louden'
  return s.kind
}
function does(s: Step): string {
  const name = appName(s) || s.package || s.key || s.text || ''
  return t(`does.${doing(s)}` as Key, { name, value: s.value ?? '' })
}
const is = (s: Step) => t(`is.${s.state}` as Key)
const words = (s: Step) =>
  s.words && ['refused', 'failed'].includes(s.state) ? t('run.words', { words: s.words }) : ''
</script>

<template>
  <ul class="rows">
    <li v-for="s in steps" :key="s.number">
      <span dir="auto">
        {{ does(s) }}
        <small v-if="words(s)" class="second"><br />{{ words(s) }}</small>
      </span>
      <span :class="['refused', 'failed', 'unknown'].includes(s.state) ? 'ochre' : 'second'">{{ is(s) }}</span>
    </li>
  </ul>
</template>
