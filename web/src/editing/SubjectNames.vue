<script setup lang="ts">
// The packages that a sheet is about: the name of one, or a list to open.
import PackageName from '@/marks/PackageName.vue'
import type { Subject } from './dialogs'

defineProps<{ subjects: Subject[] }>()
</script>

<template>
  <PackageName v-if="subjects.length === 1" :name="subjects[0]!.name" />
  <details v-else>
    <summary class="second">{{ subjects.length }} packages, all alike</summary>
    <ul>
      <li v-for="s in subjects" :key="s.name"><PackageName :name="s.name" /></li>
    </ul>
  </details>
</template>

<style scoped>
ul {
  max-height: 120px;
  overflow: auto;
}
summary {
  cursor: pointer;
}
</style>
