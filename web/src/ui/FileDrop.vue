<script setup lang="ts">
// Where files are dropped, or chosen.
import { ref } from 'vue'

defineProps<{ busy?: boolean; label: string; note?: string; accept?: string; multiple?: boolean; large?: boolean }>()
const emit = defineEmits<{ files: [list: File[]] }>()
const over = ref(false)
function take(files: FileList | null | undefined) {
  over.value = false
  if (files?.length) emit('files', [...files])
}
function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  take(input.files)
  input.value = '' // the same file can be chosen once more
}
</script>

<template>
  <label
    class="drop"
    :class="{ over, large }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="take($event.dataTransfer?.files)"
  >
    <input
      type="file"
      :multiple="multiple"
      :accept="accept"
      class="visually-hidden"
      :disabled="busy"
      @change="chosen"
    />
    <b>{{ busy ? 'Reading' : label }}</b>
    <span v-if="note" class="second">{{ note }}</span>
  </label>
</template>

<style scoped>
.drop {
  display: flex;
  gap: 4px 12px;
  flex-wrap: wrap;
  align-items: baseline;
  padding: 9px 12px;
  border: 1px dashed var(--faint);
  cursor: pointer;
}
.large {
  flex-direction: column;
  align-items: center;
  padding: 34px 20px;
  text-align: center;
}
.drop:hover {
  border-color: var(--ink);
}
.drop.over,
.drop:focus-within {
  border-color: var(--ring);
  background: var(--picked);
}
b {
  font-weight: 650;
}
</style>
