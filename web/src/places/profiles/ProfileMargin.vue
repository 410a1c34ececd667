<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { ago, ceiling, exactTime, loadWord, people, slugWords, count } from '@/evidence/words'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { buildName } from '@/shell/scope'
import type { Composition, Row } from './profile'

defineProps<{ profile: Schemas['Composed']; composition: Composition; row?: Row }>()
</script>

<template>
  <h1>What the owner will notice</h1>
  <p v-if="composition.lost.length">
    {{ composition.lost.map((l) => slugWords(l.function)).join(', ') }} will be gone.
  </p>
  <p v-else class="second">Nothing, as far as trials tell.</p>
  <p class="second">{{ count(composition.startsAtBoot, 'package') }} fewer start by themselves.</p>
  <template v-if="row">
    <h2>Under the cursor</h2>
    <p>
      <b>{{ row.label }}</b> <PackageName :name="row.package" />
    </p>
    <div class="mark">
      <LoadMark :load="row.load" :size="26" /><span
        >{{ loadWord[row.load] }}{{ row.bySuggestion ? ', by suggestion' : '' }}</span
      >
    </div>
    <p v-if="row.phones" class="second">
      at most {{ ceiling(row.ceiling) }} harmed, from {{ count(row.phones, 'phone') }} and {{ people(row.people) }}
    </p>
    <p>{{ row.goes ? 'Goes' : 'Stays' }}: {{ row.why }}.</p>
    <p v-for="c in row.conditions ?? []" :key="c" class="ochre">{{ c }}</p>
  </template>
  <h2>Firmware it is made from</h2>
  <ul>
    <li v-for="b in profile.builds" :key="b.id">
      {{ buildName(b) }} <span class="second">Android {{ b.release }}, {{ count(b.packages, 'package') }}</span>
    </li>
  </ul>
  <h2>Releases</h2>
  <ul v-if="profile.releases.length">
    <li v-for="r in profile.releases" :key="r.id">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank">no. {{ r.number }}</a>
      <span class="second said" :title="exactTime(r.publishedAt)">
        {{ r.state }}, {{ count(r.steps, 'package') }}, {{ ago(r.publishedAt) }}</span
      >
    </li>
  </ul>
  <p v-else class="second">None yet.</p>
  <div class="keys">
    <span><kbd>⇧↑</kbd> <kbd>⇧↓</kbd> cut line</span><span><kbd>p</kbd> pin</span><span><kbd>Enter</kbd> dossier</span>
  </div>
</template>

<style scoped>
.said {
  margin-left: 8px;
}
.mark {
  display: flex;
  gap: 10px;
  align-items: end;
  margin: 6px 0;
}
</style>
