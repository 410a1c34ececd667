<script setup lang="ts">
// The files that an edit names, to open beside it.
defineProps<{ ids: string[] }>()
</script>

<template>
  <a v-for="(id, i) in ids" :key="id" :href="`/api/v1/attachments/${id}`" target="_blank" rel="noopener"
    >file {{ i + 1 }}</a
  >
</template>

<style scoped>
a {
  margin-left: 6px;
}
</style>
