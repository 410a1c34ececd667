<script setup lang="ts">
// Stands where a sheet is about to be, as its script comes: keys that somebody
// presses already are meant for it. Where it does not come, it says so.
defineProps<{ error?: Error }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <v-dialog :model-value="true" width="520" aria-label="Opening" @update:model-value="emit('close')">
    <div class="opening" :role="error ? 'alert' : 'status'" :aria-busy="!error">
      <p v-if="error">This could not be opened: the server does not answer. Nothing was lost; open it again later.</p>
      <p v-else class="second">Opening</p>
      <button v-focus class="act" @click="emit('close')">{{ error ? 'Close' : 'Cancel' }}</button>
    </div>
  </v-dialog>
</template>

<style scoped>
.opening {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 16px;
  padding: 16px 20px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--ink);
  font-size: 13px;
}
</style>
