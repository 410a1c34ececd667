<script lang="ts">
import type { Schemas } from '@/api/client'

export type IntakePackage = Schemas['IntakePackage']
</script>

<script setup lang="ts">
// Packages with who probably put them there, and why Roster thinks so.
import { computed, ref } from 'vue'
import { originWord } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ rows: IntakePackage[]; scope: Record<string, string | undefined> }>()
defineEmits<{ origin: [row: IntakePackage] }>()
const all = ref(false)
const shown = computed(() => (all.value ? props.rows : props.rows.slice(0, 15)))
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>Package</th>
        <th>Label</th>
        <th>Put there by</th>
        <th class="why">because</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="p in shown" :key="p.id">
        <td>
          <router-link :to="{ name: 'dossier', params: { name: p.name }, query: scope }"
            ><PackageName :name="p.name"
          /></router-link>
        </td>
        <td>
          <bdi>{{ p.label || '—' }}</bdi>
        </td>
        <td>
          <button class="link" :aria-label="`Change who put ${p.name} there`" @click="$emit('origin', p)">
            {{ originWord[p.origin] ?? p.origin }}
          </button>
        </td>
        <td class="second why">
          {{ p.originReason
          }}{{ p.elsewhere ? `; shipped on ${p.elsewhere} other ${p.elsewhere === 1 ? 'model' : 'models'}` : '' }}
        </td>
      </tr>
    </tbody>
  </table>
  <button v-if="rows.length > 15" class="link second" @click="all = !all">
    {{ all ? 'Show fewer' : `Show all ${rows.length}` }}
  </button>
</template>

<style scoped>
table {
  width: 100%;
  table-layout: fixed;
}
th {
  text-align: left;
  font-weight: 500;
  color: var(--second);
  border-bottom: 1px solid var(--hair);
}
th:nth-child(1) {
  width: 36%;
}
th:nth-child(2) {
  width: 18%;
}
th:nth-child(3) {
  width: 14%;
}
td {
  padding: 2px 12px 2px 0;
  vertical-align: top;
  overflow: hidden;
  text-overflow: ellipsis;
}
a {
  text-decoration: none;
}
@media (max-width: 720px) {
  .why {
    display: none;
  }
  th:nth-child(1) {
    width: 50%;
  }
}
</style>
