<script setup lang="ts">
// Until when a line stays away.
import { ref } from 'vue'
import { inDays } from './desk'

const emit = defineEmits<{ until: [day: Date]; close: [] }>()
const day = ref('')
const tomorrow = inDays(1).toISOString().slice(0, 10)
</script>

<template>
  <form class="off" @submit.prevent="day && emit('until', new Date(`${day}T08:00`))" @keydown.esc.stop="emit('close')">
    <span class="second">put off until</span>
    <button type="button" class="act" @click="emit('until', inDays(1))">tomorrow</button>
    <button type="button" class="act" @click="emit('until', inDays(7))">in a week</button>
    <button type="button" class="act" @click="emit('until', inDays(30))">in a month</button>
    <input v-model="day" class="field" type="date" :min="tomorrow" aria-label="Until a day" />
    <button class="act" :disabled="!day">then</button>
  </form>
</template>

<style scoped>
.off {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
</style>
