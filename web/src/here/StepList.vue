<script setup lang="ts">
// Steps of a run in words: ours, and the phone's.
import type { Step } from './messages'
import { t, type Key } from './words'
import { appName } from './wrote'

defineProps<{ steps: Step[] }>()

function does(s: Step): string {
  const name = appName(s) || s.package || s.key || s.text || ''
  const key = s.kind === 'remove' && s.method === 'disable' ? 'does.disable' : `does.${s.kind}`
  return t(key as Key, { name, value: s.value ?? '' })
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
