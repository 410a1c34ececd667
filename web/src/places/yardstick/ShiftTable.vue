<script setup lang="ts">
// What another yardstick would change, package by package.
import type { Schemas } from '@/api/client'
import { ceiling, count } from '@/format/numbers'
import { loadWord, methodWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'

defineProps<{ shifts: Schemas['Shifts'] }>()
</script>

<template>
  <h2>What would change</h2>
  <p v-if="!shifts.figures">
    No standing and no suggestion would change, in {{ count(shifts.of, 'figure') }}. Ceilings move a little all the
    same.
  </p>
  <template v-else>
    <p>
      {{ shifts.figures }} of {{ count(shifts.of, 'figure') }}, of {{ count(shifts.packages, 'package')
      }}<template v-if="shifts.lenient"
        >; <b class="ochre">{{ shifts.lenient }} suggestions would become more lenient</b></template
      >. Nothing that a person has set changes.
    </p>
    <table class="listed">
      <thead>
        <tr>
          <th>Package</th>
          <th>Seen from</th>
          <th>Method</th>
          <th>Harm ceiling</th>
          <th>Standing</th>
          <th>Suggested</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(s, i) in shifts.first" :key="i">
          <td class="name"><PackageName :name="s.package" /></td>
          <td>{{ s.place }}</td>
          <td class="second">{{ methodWord[s.method] }}</td>
          <td>{{ ceiling(s.ceilingBefore) }} → {{ ceiling(s.ceilingAfter) }}</td>
          <td>
            {{ s.standingBefore === s.standingAfter ? s.standingAfter : `${s.standingBefore} → ${s.standingAfter}` }}
          </td>
          <td>
            <span class="load"
              ><LoadMark :load="s.suggestedAfter" silent />{{
                s.suggestedBefore === s.suggestedAfter
                  ? loadWord[s.suggestedAfter]
                  : `${loadWord[s.suggestedBefore]} → ${loadWord[s.suggestedAfter]}`
              }}</span
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="shifts.first.length < shifts.figures" class="second">
      and {{ shifts.figures - shifts.first.length }} more
    </p>
  </template>
</template>

<style scoped>
td {
  white-space: nowrap;
}
.name {
  max-width: 190px;
}
.load {
  display: inline-flex;
  gap: 8px;
  align-items: center;
}
</style>
