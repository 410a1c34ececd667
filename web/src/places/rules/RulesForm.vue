<script setup lang="ts">
// A form of rules that everybody reads and the keeper lets hold.
import { words } from '@/api/client'
import { useSession } from '@/composables/session'

defineProps<{
  name: string
  title: string
  about: string
  legend: string
  // ready is true once the rules have been read, failed what kept them from it.
  ready: boolean
  failed: Error | null
  // What was wrong with letting them hold, and what was said when they do.
  wrong: string
  said: string
}>()
const emit = defineEmits<{ hold: [] }>()
const { may } = useSession()
</script>

<template>
  <section v-if="ready" :aria-label="name">
    <h1>{{ title }}</h1>
    <p class="second about">{{ about }}</p>
    <form @submit.prevent="emit('hold')">
      <fieldset :disabled="!may('keeper')">
        <legend>{{ legend }}</legend>
        <slot />
      </fieldset>
      <button v-if="may('keeper')" class="act first">Let it hold</button>
      <p v-else class="second">Only the keeper can change this.</p>
    </form>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="said" role="status">{{ said }}</p>
  </section>
  <div v-else-if="failed" class="notice bad" role="alert">{{ words(failed) }}</div>
</template>

<style scoped>
.about {
  margin-bottom: 12px;
}
fieldset :slotted(label) {
  display: grid;
  grid-template-columns: 460px 80px;
  gap: 12px;
  align-items: center;
  padding: 3px 0;
}
fieldset :slotted(label) > input[type='checkbox'] {
  justify-self: start;
}
.act {
  margin-top: 10px;
}
</style>
