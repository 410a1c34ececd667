<script setup lang="ts">
// A file that belongs to evidence: a picture in small, or a log to open. The
// server serves either as nothing but what it was found to be.
import type { Schemas } from '@/api/client'
import { megabytes } from '@/format/numbers'

const props = defineProps<{ file: Schemas['Attachment'] }>()
const at = `/api/v1/attachments/${props.file.id}`
</script>

<template>
  <a :href="at" target="_blank" rel="noopener">
    <img v-if="file.type !== 'text/plain'" :src="at" :alt="file.name" height="64" loading="lazy" />
    <span dir="auto">{{ file.name }}</span>
    <span class="second">{{ megabytes(file.bytes) }}</span>
  </a>
</template>

<style scoped>
a {
  display: inline-flex;
  align-items: end;
  gap: 8px;
}
img {
  border: 1px solid var(--hair);
  max-width: 180px;
  object-fit: contain;
}
</style>
