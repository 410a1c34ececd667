<script setup lang="ts">
import { computed, ref } from 'vue'
import { useEvidenceDialogs, type Subject } from '@/evidence/dialogs'
import { ago, ceiling, count, exactTime, floor, methodWord, outcomeWord, people, slugWords } from '@/evidence/words'
import HarmInterval from '@/marks/HarmInterval.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import type { Dossier } from './dossier'

const props = defineProps<{ d: Dossier; subject: Subject }>()
const dialogs = useEvidenceDialogs()
const opened = ref(false)
const weight = computed(() => {
  const by = new Map<string, { weight: number; transfer: number }>()
  for (const w of props.d.weighed) for (const id of w.trials) by.set(id, w)
  return by
})
const letter: Record<string, string> = { clean: 'c', 'function-lost': 'l', fault: 'f', 'no-start': 'n', refused: 'r' }
const tick = (t: Dossier['trials'][number]) => {
  const l = letter[t.outcome] ?? ''
  return t.persistence.startsWith('back') ? l.toUpperCase() : l
}
</script>

<template>
  <section class="band">
    <h2>
      What happened when it went
      <span v-if="d.figures.phones" class="second plain"
        >removed for the user · {{ count(d.figures.phones, 'phone') }}, {{ people(d.figures.people) }} · standing
        {{ d.figures.standing }}</span
      >
      <button class="act" @click="dialogs.trial(subject)">Add a trial <kbd>t</kbd></button>
    </h2>
    <p v-if="!d.trials.length" class="second none">
      Nobody has tried it. Take it off a phone that you can reset, use the phone, and say what you saw.
    </p>
    <template v-else>
      <table class="distances">
        <tbody>
          <tr v-for="x in d.distances" :key="x.distance">
            <th scope="row">{{ x.words }}</th>
            <td><HarmInterval v-if="x.phones" :floor="x.floor" :ceiling="x.ceiling" :width="290" /></td>
            <td class="of">
              <template v-if="x.phones"
                >{{ x.harmedPhones }} of {{ x.phones }} harmed,
                {{ x.harmedPhones ? `${floor(x.floor)} to ` : 'at most ' }}{{ ceiling(x.ceiling) }}</template
              >
            </td>
            <td class="second">counts {{ x.weight }}</td>
            <td><TrialStrip :strip="x.strip" :height="22" /></td>
          </tr>
        </tbody>
      </table>
      <p class="sum">{{ d.sentence }}</p>
      <button class="link" :aria-expanded="opened" @click="opened = !opened">
        {{ opened ? 'Close the trials' : `Open the ${count(d.trials.length, 'trial')} and their weights` }}
      </button>
      <table v-if="opened" class="trials">
        <thead>
          <tr>
            <th colspan="2">Outcome</th>
            <th>Firmware</th>
            <th>Method</th>
            <th>Watched</th>
            <th>Phone</th>
            <th>By</th>
            <th class="num">Weight</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in d.trials" :key="t.id">
            <td><TrialStrip :strip="tick(t)" /></td>
            <td>
              {{ outcomeWord[t.outcome] }}{{ t.function ? `: ${slugWords(t.function)}` : '' }}
              <span v-if="t.note" class="second" dir="auto">{{ t.note }}</span>
            </td>
            <td>{{ t.model }} {{ t.carrier }} {{ t.version }}</td>
            <td>{{ methodWord[t.method] }}</td>
            <td>
              {{ count(t.watchedDays, 'day')
              }}{{ t.persistence.startsWith('back') ? `, ${slugWords(t.persistence)}` : '' }}
            </td>
            <td class="mono second">{{ t.phone.slice(0, 8) }}</td>
            <td>
              {{ t.person }} <span class="second" :title="exactTime(t.at)">{{ ago(t.at) }}</span>
            </td>
            <td class="num">{{ weight.get(t.id) ? weight.get(t.id)!.weight.toFixed(2) : 'none' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="opened" class="second">
        Together {{ d.figures.weight.toFixed(2) }} phones' worth of trials, {{ d.figures.harmedWeight.toFixed(2) }} of
        them harms. A trial on a farther firmware counts less, and so does each further phone of one person that went
        clean.
      </p>
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
h2 .act {
  margin-left: auto;
}
.plain {
  font-weight: 400;
}
.none {
  margin-top: 6px;
}
.distances {
  width: 100%;
  margin-top: 4px;
}
.distances td,
.distances th {
  padding: 1px 14px 1px 0;
  border-bottom: 1px solid var(--row);
  text-align: left;
  font-weight: 400;
  white-space: nowrap;
}
.distances td:last-child {
  width: 100%;
}
.sum {
  font-size: 15px;
  line-height: 1.4;
  margin: 10px 0 6px;
  max-width: 80ch;
}
.trials {
  width: 100%;
  margin: 8px 0;
}
.trials th {
  text-align: left;
  font-size: 12px;
  font-weight: 400;
  color: var(--second);
  border-bottom: 1px solid var(--ink);
}
.trials td {
  padding: 2px 12px 2px 0;
  border-bottom: 1px solid var(--row);
  vertical-align: top;
}
.num {
  text-align: right !important;
}
</style>
