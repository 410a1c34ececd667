<script setup lang="ts">
// HTML that the server made of somebody's words (core/render.Prose): it holds
// text, lists and links and nothing else.
defineProps<{ html: string }>()
</script>

<template>
  <!-- eslint-disable-next-line vue/no-v-html -->
  <div class="prose" dir="auto" v-html="html" />
</template>

<style scoped>
.prose {
  max-width: 62ch;
  overflow-wrap: anywhere;
}
.prose :deep(p + p),
.prose :deep(ul),
.prose :deep(ol),
.prose :deep(pre) {
  margin-top: 6px;
}
.prose :deep(ul) {
  list-style: disc;
  padding-left: 18px;
}
.prose :deep(ol) {
  list-style: decimal;
  padding-left: 20px;
}
.prose :deep(code) {
  font-family: var(--mono);
  font-size: 12px;
}
.prose :deep(blockquote) {
  border-left: 2px solid var(--hair);
  padding-left: 10px;
}
</style>
