<script setup lang="ts">
// What a computer with phones is called, over its phones.
defineProps<{ name: string; kind: string }>()
</script>

<template>
  <header>
    <b>{{ name }}</b>
    <span class="second">{{ kind }}</span>
  </header>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--hair);
  background: var(--soft);
}
b {
  font-weight: 650;
}
</style>
