<script setup lang="ts">
// A package by its label, where it has one, and its name.
import PackageName from './PackageName.vue'

defineProps<{ name: string; label?: string }>()
</script>

<template>
  <span class="named" :title="label ? `${label}, ${name}` : name"
    ><b v-if="label" dir="auto">{{ label }}</b
    ><PackageName :name="name"
  /></span>
</template>

<style scoped>
.named {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  max-width: 100%;
  min-width: 0;
  white-space: nowrap;
}
b {
  flex: 0 1 auto;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  font-weight: 600;
}
.named :deep(.name) {
  flex: 1 1 0;
  min-width: 60px;
}
</style>
