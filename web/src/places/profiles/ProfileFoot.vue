<script setup lang="ts">
// Whether the rules are kept, and what to do with them next.
import { ceiling } from '@/format/numbers'
import FootBar from '@/ui/FootBar.vue'
import KeyCap from '@/ui/KeyCap.vue'
import type { Rules } from './profile'

defineProps<{
  rules: Rules
  state: string
  wrong: string
  dirty: boolean
  busy: boolean
  editable: boolean
  asked: boolean
  number: number
  stops: string[]
}>()
const emit = defineEmits<{ letGo: []; keep: []; ask: [] }>()
</script>

<template>
  <FootBar name="Profile">
    <span v-if="wrong" role="alert">{{ wrong }}</span>
    <template v-else>
      <span>{{ state }}</span>
      <button v-if="dirty" class="link dim" @click="emit('letGo')">let it go <KeyCap of="z" /></button>
      <span class="dim"
        >no more than {{ rules.highestLoad === 'loose' ? 'Loose' : 'Leaned on' }}, no more than
        {{ ceiling(rules.highestCeiling) }} harmed</span
      >
    </template>
    <template v-if="editable">
      <button class="go plain" :disabled="!dirty || busy" @click="emit('keep')">Keep the rules</button>
      <button
        v-if="!asked"
        class="go"
        :disabled="busy || stops.length > 0"
        :title="stops.join('; ')"
        @click="emit('ask')"
      >
        {{ dirty ? 'Keep, and ask' : 'Ask' }} to publish no. {{ number }}
      </button>
    </template>
  </FootBar>
</template>
