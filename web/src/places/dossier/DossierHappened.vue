<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import AttachedFile from '@/editing/AttachedFile.vue'
import { useEvidenceDialogs, type Subject } from '@/editing/dialogs'
import { ago } from '@/format/dates'
import { ceiling, count, people } from '@/format/numbers'
import { claimWord, loadWord, methodWord } from '@/format/vocabulary'
import HarmPlot, { type Bar } from '@/marks/HarmPlot.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import KeyCap from '@/ui/KeyCap.vue'
import type { Dossier } from './dossier'
import DossierTrials from './DossierTrials.vue'

const props = defineProps<{ d: Dossier; subject: Subject }>()
const dialogs = useEvidenceDialogs()
const method = ref('remove-for-user')
const seen = computed(() => props.d.methods.find((m) => m.method === method.value) ?? props.d.methods[0])
const bars = computed<Bar[]>(() =>
  props.d.methods.flatMap((m) => m.distances.filter((x) => x.phones).map((x) => ({ ...x, method: m.method }))),
)
// What is open: all trials of the method, or those behind one bar.
const opened = ref<{ method: string; distance?: number }>()
const chosen = computed(() =>
  opened.value?.distance === undefined ? undefined : { method: opened.value.method, distance: opened.value.distance },
)
watch(
  () => props.subject.name,
  () => (opened.value = undefined),
)
function openBar(b: Bar) {
  const same = chosen.value?.method === b.method && chosen.value.distance === b.distance
  if (!same) method.value = b.method
  opened.value = same ? undefined : { method: b.method, distance: b.distance }
}
const fileOf = (id?: string) => props.d.attachments.find((f) => f.id === id)
</script>

<template>
  <section class="band">
    <h2>
      What happened when it {{ method === 'quieten' ? 'was quietened' : 'went' }}
      <span v-if="seen?.phones" class="second plain"
        >{{ count(seen.phones, 'phone') }}, {{ people(seen.people) }} · standing {{ seen.standing }}</span
      >
      <button class="act" @click="dialogs.source(subject)">Add a source</button>
      <button class="act" @click="dialogs.trial(subject)">Add a trial <KeyCap of="t" /></button>
    </h2>
    <p v-if="!d.trials" class="second none">
      Nobody has tried it. Take it off a phone that you can reset, use the phone, and say what you saw.
    </p>
    <template v-else-if="seen">
      <div v-if="d.methods.length > 1" class="methods" role="group" aria-label="Method">
        <button v-for="m in d.methods" :key="m.method" :aria-pressed="m.method === method" @click="method = m.method">
          {{ methodWord[m.method] }} <span class="second">{{ m.phones }}</span>
        </button>
      </div>
      <div class="strip">
        <TrialStrip :strip="seen.strip" :height="38" :step="8" :most="640" />
        <b v-if="seen.phones">≤ {{ ceiling(seen.ceiling) }}</b>
      </div>
      <p class="sum">{{ seen.sentence }}</p>
      <HarmPlot v-if="bars.length" :bars="bars" :method="method" :chosen="chosen" @open="openBar" />
      <button class="link open" :aria-expanded="!!opened" @click="opened = opened ? undefined : { method }">
        {{ opened ? 'Close the trials' : `Open the ${count(d.trials, 'trial')} and their weights` }}
      </button>
      <DossierTrials v-if="opened" :name="subject.name" :seen="seen" :distance="chosen?.distance" />
    </template>
    <template v-if="d.sources.length">
      <h2 class="later">What others say</h2>
      <ul class="sources">
        <li v-for="s in d.sources" :key="s.id">
          <p>
            <a v-if="s.link" :href="s.link" target="_blank" rel="noopener noreferrer nofollow" dir="auto">{{
              s.title
            }}</a>
            <b v-else dir="auto">{{ s.title }}</b>
            <span class="second"
              >: {{ s.load ? `calls it ${loadWord[s.load]}` : claimWord[s.claim]
              }}{{ s.scopeName === 'everywhere' ? '' : `, about ${s.scopeName}` }} · {{ s.person }} {{ ago(s.at) }},
              change {{ s.change }}</span
            >
          </p>
          <blockquote v-if="s.quote" dir="auto">{{ s.quote }}</blockquote>
          <AttachedFile v-if="fileOf(s.attachment)" :file="fileOf(s.attachment)!" />
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.band {
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  display: flex;
  align-items: center;
  gap: 10px;
}
h2 .act:first-of-type {
  margin-left: auto;
}
.later {
  margin-top: 16px;
}
.plain {
  font-weight: 400;
}
.none {
  margin-top: 6px;
}
.methods {
  display: flex;
  gap: 18px;
  margin-top: 4px;
}
.methods button {
  padding: 2px 0;
  color: var(--second);
  border-bottom: 2px solid transparent;
}
.methods button[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--ink);
}
.strip {
  display: flex;
  align-items: end;
  gap: 14px;
  margin-top: 6px;
}
.strip b {
  font-size: 20px;
  line-height: 1;
  padding-bottom: 3px;
  font-weight: 650;
}
.sum {
  font-size: 15px;
  line-height: 1.4;
  margin: 6px 0 8px;
  max-width: 80ch;
}
.open {
  margin-top: 8px;
}
.sources li {
  padding: 3px 0;
}
blockquote {
  margin: 2px 0 2px;
  padding-left: 10px;
  border-left: 2px solid var(--hair);
  max-width: 80ch;
  white-space: pre-line;
}
</style>
