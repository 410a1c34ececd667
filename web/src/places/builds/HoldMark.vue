<script setup lang="ts">
// How a release stands on a build: filled where it is proven, half where it was
// made for it, empty where it was not; what is otherwise by a bar in ochre, and
// what would stop by one across it.
import { computed } from 'vue'
import { holdWord, type Hold } from './builds'

const props = defineProps<{ hold?: Hold; silent?: boolean }>()
const words = computed(() => (props.hold ? props.hold.words : 'not worked out'))
const news = computed(() => ['role-at-risk', 'back', 'renamed', 'package-gone'].includes(props.hold?.state ?? ''))
const stops = computed(() => !!props.hold?.stoppedAt)
const name = computed(() => (props.hold ? `${holdWord[props.hold.state]}: ${words.value}` : words.value))
</script>

<template>
  <svg
    width="16"
    height="16"
    viewBox="0 0 16 16"
    :role="silent ? undefined : 'img'"
    :aria-hidden="silent || undefined"
    :aria-label="silent ? undefined : name"
  >
    <title v-if="!silent">{{ name }}</title>
    <template v-if="stops">
      <rect x="1.5" y="1.5" width="13" height="13" fill="var(--harm)" />
      <path d="M3 8h10" stroke="var(--sheet)" stroke-width="2.4" />
    </template>
    <template v-else-if="hold">
      <rect
        x="2"
        y="2"
        width="12"
        height="12"
        fill="none"
        stroke="var(--ink)"
        :stroke-dasharray="hold.claimed ? undefined : '2 1.6'"
      />
      <rect v-if="hold.state === 'covered'" x="2" y="2" width="12" height="12" fill="var(--ink)" />
      <rect v-else-if="hold.claimed" x="2" y="8" width="12" height="6" fill="var(--ink)" />
      <path v-if="news" d="M0 15.2h16" stroke="var(--ochre)" stroke-width="1.6" />
      <path v-if="hold.state === 'role-at-risk'" d="M2 14L14 2" stroke="var(--ochre)" stroke-width="2" />
    </template>
    <path v-else d="M4 8h8" stroke="var(--hair)" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  flex: none;
}
</style>
