<script setup lang="ts">
// Every load that people have set for the package: which one applies here,
// which it hides, and which hold elsewhere.
import { computed } from 'vue'
import { ago, exactTime } from '@/format/dates'
import { loadWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import type { Dossier } from './dossier'

const props = defineProps<{ d: Dossier }>()
const narrow = ['build', 'model', 'maker', 'everywhere']
const grades = computed(() => {
  const hidden = new Set(props.d.grade.hidden.map((h) => h.scopeId + h.scopeKind))
  const here = props.d.grade.applies
  return props.d.claims
    .filter((c) => c.field === 'load')
    .map((c) => {
      const id = c.scopeId + c.scopeKind
      const place = here && id === here.scopeId + here.scopeKind ? 'here' : hidden.has(id) ? 'hidden' : 'elsewhere'
      const value = c.value as { load: string; conditions?: string[] }
      return { ...c, place, load: value.load, conditions: value.conditions ?? [] }
    })
    .sort((a, b) => narrow.indexOf(a.scopeKind) - narrow.indexOf(b.scopeKind))
})
const says: Record<string, string> = {
  here: 'applies here',
  hidden: 'hidden here by a narrower one',
  elsewhere: 'holds elsewhere',
}
</script>

<template>
  <ul v-if="grades.length">
    <li v-for="g in grades" :key="g.scopeId + g.scopeKind" :class="g.place">
      <LoadMark :load="g.load" silent />
      <div>
        <p>
          <b>{{ loadWord[g.load] }}</b>{{ g.scopeKind === 'everywhere' ? ' everywhere' : ` for ${g.scopeName}` }}
          <span class="second">{{ says[g.place] }}</span>
        </p>
        <p v-for="c in g.conditions" :key="c"><span class="second">condition:</span> {{ c }}</p>
        <p class="second">
          “<span dir="auto">{{ g.reason }}</span
          >” {{ g.setBy }}, <span :title="exactTime(g.setAt)">{{ ago(g.setAt) }}</span>, change {{ g.change }}
        </p>
      </div>
    </li>
  </ul>
  <p v-else class="second">Nobody has graded it: the suggestion stands.</p>
</template>

<style scoped>
li {
  display: flex;
  gap: 10px;
  padding: 3px 0;
}
li.elsewhere,
li.hidden {
  opacity: 0.85;
}
b {
  font-weight: 600;
}
.here b {
  font-weight: 700;
}
</style>
