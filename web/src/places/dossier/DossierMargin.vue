<script setup lang="ts">
import { computed } from 'vue'
import { useEvidenceDialogs, type Subject } from '@/evidence/dialogs'
import { count, slugWords } from '@/evidence/words'
import type { Dossier } from './dossier'

const props = defineProps<{ d: Dossier; subject: Subject }>()
const dialogs = useEvidenceDialogs()
const mine = computed(() => props.d.trials.filter((t) => t.method === 'remove-for-user'))
const lost = computed(() => [
  ...new Set(mine.value.filter((t) => t.outcome === 'function-lost').map((t) => slugWords(t.function))),
])
const refusals = computed(() => mine.value.filter((t) => t.outcome === 'refused'))
const back = computed(() => mine.value.filter((t) => t.persistence.startsWith('back')))
const boot = computed(() => props.d.ships.filter((s) => s.ships && s.boot).length)
</script>

<template>
  <h1>If it goes</h1>
  <p class="second">removed for the user, as trials and captures tell</p>
  <h2 :class="{ harm: lost.length }">Missed by people</h2>
  <p>{{ lost.length ? lost.join(', ') : 'Nothing so far.' }}</p>
  <h2>Gained</h2>
  <p>{{ boot ? `one fewer starter at boot, on ${count(boot, 'build')}` : 'it does not start at boot' }}</p>
  <p class="second">nothing on the system partition</p>
  <h2>Will the phone refuse?</h2>
  <p>
    {{
      refusals.length
        ? `${refusals.length} of ${mine.length} tries were refused.`
        : mine.length
          ? `Not in ${count(mine.length, 'try', 'tries')}.`
          : 'Not known.'
    }}
  </p>
  <p v-if="refusals[0]?.note" class="mono second">{{ refusals[0].note }}</p>
  <h2>Will it come back?</h2>
  <p>
    {{
      back.length
        ? `It did, ${count(back.length, 'time')} in ${mine.length}.`
        : mine.length
          ? 'Not where it was watched.'
          : 'Not known.'
    }}
  </p>
  <h2>In releases</h2>
  <ul v-if="d.releases.length">
    <li v-for="r in d.releases" :key="r.id">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank"
        >{{ r.modelName }}, {{ r.editionName }}, no. {{ r.number }}</a
      >
    </li>
  </ul>
  <p v-else class="second">in none</p>
  <div class="acts">
    <button class="act" @click="dialogs.trial(subject)">Add a trial</button>
    <button class="act" @click="dialogs.load([subject])">Propose a load</button>
  </div>
  <div class="keys">
    <span><kbd>t</kbd> trial</span><span><kbd>1</kbd>–<kbd>4</kbd> load</span><span><kbd>h</kbd> history</span
    ><span><kbd>u</kbd> back</span>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 18px;
}
</style>
