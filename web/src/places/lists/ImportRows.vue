<script setup lang="ts">
// What would become of each row of a list, set apart by kind.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ preview: Schemas['ImportPreview'] }>()
const contradicting = defineModel<boolean>('contradicting', { required: true })
const kinds = [
  ['contradicts', 'Contradict what is known here'],
  ['new', 'New sources'],
  ['known', 'Known already'],
  ['unknown', 'Packages that no capture has shown'],
] as const
const groups = computed(() =>
  kinds
    .map(([kind, title]) => ({ kind, title, rows: props.preview.rows.filter((r) => r.group === kind) }))
    .filter((g) => g.rows.length),
)
// More are sent than are drawn.
const drawn = 100
</script>

<template>
  <section v-for="g in groups" :key="g.kind" :aria-label="g.title">
    <h2>{{ g.title }}: {{ g.rows.length }}</h2>
    <label v-if="g.kind === 'contradicts'" class="choice"
      ><input v-model="contradicting" type="checkbox" /> send these, too: a reviewer sees what they contradict</label
    >
    <p v-if="g.kind === 'known' || g.kind === 'unknown'" class="second">Not sent.</p>
    <table class="listed fixed">
      <tbody>
        <tr v-for="r in g.rows.slice(0, drawn)" :key="r.place">
          <td class="second place">{{ r.place }}</td>
          <td class="name">
            <PackageName :name="r.name" /> <span v-if="r.label" dir="auto">{{ r.label }}</span>
          </td>
          <td>
            <span v-if="r.theirs" class="load"
              ><LoadMark :load="r.theirs" silent />{{ loadWord[r.theirs] }} <span class="second">they say</span></span
            >
          </td>
          <td>
            <span v-if="r.ours" class="load"
              ><LoadMark :load="r.ours" silent />{{ loadWord[r.ours] }} <span class="second">here</span></span
            >
          </td>
          <td dir="auto">
            <span :class="{ ochre: g.kind === 'contradicts' }">{{ r.why }}</span> {{ r.quote ? `“${r.quote}”` : '' }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="g.rows.length > drawn" class="second">and {{ g.rows.length - drawn }} more</p>
  </section>
  <section v-if="preview.problems.length" aria-label="Not understood">
    <h2>Not understood: {{ preview.problems.length }}</h2>
    <p class="second">All else was kept.</p>
    <p v-for="(p, i) in preview.problems.slice(0, drawn)" :key="i">
      <span class="second">{{ p.place }}</span> {{ p.words }}
    </p>
    <p v-if="preview.problems.length > drawn" class="second">
      and {{ count(preview.problems.length - drawn, 'other') }}
    </p>
  </section>
</template>

<style scoped>
section {
  margin-top: 14px;
}
.fixed {
  table-layout: fixed;
}
.place {
  width: 80px;
}
.name {
  width: 260px;
}
td:nth-child(3) {
  width: 160px;
}
td:nth-child(4) {
  width: 140px;
}
.load {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.choice {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
