<script setup lang="ts">
// A heading, and below it what can be ticked.
defineProps<{
  title: string
  items: { value: string; word: string }[]
  ticked: readonly string[]
  editable: boolean
}>()
const emit = defineEmits<{ flip: [value: string] }>()
</script>

<template>
  <h2>{{ title }}</h2>
  <slot />
  <ul>
    <li v-for="i in items" :key="i.value">
      <label
        ><input
          type="checkbox"
          :checked="ticked.includes(i.value)"
          :disabled="!editable"
          :aria-label="`${title}: ${i.word}`"
          @change="emit('flip', i.value)"
        />
        {{ i.word }}</label
      >
    </li>
  </ul>
</template>

<style scoped>
h2 {
  margin: 14px 0 5px;
}
label {
  display: flex;
  gap: 6px;
  line-height: 21px;
}
</style>
