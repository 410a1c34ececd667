<script setup lang="ts">
// What was read, and what of it was not understood.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import NotesTable from './NotesTable.vue'

const props = defineProps<{ reports: Schemas['Report'][] }>()
const notes = computed(() => props.reports.flatMap((r) => r.notes ?? []))
const omitted = computed(() => props.reports.reduce((n, r) => n + (r.omitted ?? 0), 0))
</script>

<template>
  <section>
    <h2>Read</h2>
    <table>
      <tbody>
        <tr v-for="(r, i) in reports" :key="i">
          <td class="mono">{{ r.section }}</td>
          <td>{{ count(r.lines, 'line') }}</td>
          <td :class="{ ochre: !r.complete }">
            {{ r.complete ? (r.refused ? 'the phone does not know it' : 'whole') : r.missing }}
          </td>
          <td class="second">{{ r.from }}</td>
        </tr>
      </tbody>
    </table>
    <h2>Not understood</h2>
    <p v-if="!notes.length" class="second">every line was understood</p>
    <NotesTable v-else :notes="notes" :omitted="omitted" />
  </section>
</template>

<style scoped>
section {
  padding: 16px 18px 0;
}
h2 {
  font-size: 15px;
  margin: 10px 0 4px;
}
td {
  padding: 0 16px 1px 0;
  vertical-align: top;
  overflow-wrap: anywhere;
}
</style>
