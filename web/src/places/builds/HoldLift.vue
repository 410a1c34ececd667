<script setup lang="ts">
import { ref } from 'vue'

defineProps<{ busy: boolean; lift: (why: string) => Promise<unknown> }>()
const lifting = ref(false)
const why = ref('')
</script>

<template>
  <button v-if="!lifting" class="act quiet" @click="lifting = true">Lift the mark, with a reason</button>
  <form v-else class="lift" @submit.prevent="lift(why.trim())">
    <textarea
      v-model="why"
      class="field"
      rows="2"
      maxlength="1000"
      aria-label="Why it may run there"
      placeholder="Why it may run there; everybody is shown this"
    />
    <button class="act" :disabled="busy || !why.trim()">Lift it</button>
    <button type="button" class="act quiet" @click="lifting = false">Not now</button>
  </form>
</template>

<style scoped>
.lift {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: start;
}
.lift textarea {
  flex: 1 1 320px;
}
</style>
