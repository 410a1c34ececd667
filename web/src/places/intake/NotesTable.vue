<script setup lang="ts">
// Lines that were not understood, with their place and what was expected.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'

const props = defineProps<{ notes: Schemas['Note'][]; omitted: number }>()
const most = 60
const more = computed(() => Math.max(0, props.notes.length - most) + props.omitted)
</script>

<template>
  <table>
    <tbody>
      <tr v-for="(n, i) in notes.slice(0, most)" :key="i">
        <td class="second">{{ n.section }}, line {{ n.line }}</td>
        <td>{{ n.why }}</td>
        <td class="mono" dir="ltr">{{ n.text }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="more" class="second">and {{ count(more, 'more line') }}</p>
</template>

<style scoped>
td {
  padding: 0 16px 1px 0;
  vertical-align: top;
  overflow-wrap: anywhere;
}
</style>
