<script setup lang="ts" generic="T extends string">
// One of a few answers, each with its own key.
import { useKeys } from '@/composables/keys'
import KeyCap from './KeyCap.vue'

const props = defineProps<{ title: string; options: { value: T; word: string; key?: string }[] }>()
const chosen = defineModel<T>()
useKeys(
  props.options
    .filter((o) => o.key)
    .map((o) => ({
      keys: [o.key!],
      does: `${props.title.toLowerCase()}: ${o.word}`,
      run: () => (chosen.value = o.value),
    })),
  { inDialog: true },
)
</script>

<template>
  <fieldset>
    <legend>{{ title }}</legend>
    <label v-for="o in options" :key="o.value" :class="{ on: chosen === o.value }">
      <input v-model="chosen" type="radio" class="visually-hidden" :name="title" :value="o.value" />
      <slot name="mark" :value="o.value" />
      {{ o.word }} <KeyCap v-if="o.key" :of="o.key" />
    </label>
  </fieldset>
</template>

<style scoped>
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
label {
  display: inline-flex;
  align-items: center;
  gap: 7px;
  padding: 3px 10px;
  border: 1px solid var(--hair);
  cursor: pointer;
}
label.on {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
  font-weight: 600;
}
label:focus-within {
  outline: 2px solid var(--ring);
  outline-offset: 1px;
}
</style>
