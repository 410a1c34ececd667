<script setup lang="ts">
// Trials one by one, with what each counts and everything that was said.
import { ref } from 'vue'
import AttachedFile from '@/editing/AttachedFile.vue'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { methodWord, outcomeWord, slugWords } from '@/format/vocabulary'
import TrialStrip from '@/marks/TrialStrip.vue'
import type { Trials } from './dossier'

type Trial = Trials['trials'][number]
const props = defineProps<{
  trials: Trial[]
  weights: Map<string, { weight: number; transfer: number; trials: string[] }>
  files: Trials['attachments']
}>()
const opened = ref<string>()
const letter: Record<string, string> = { clean: 'c', 'function-lost': 'l', fault: 'f', 'no-start': 'n', refused: 'r' }
const tick = (t: Trial) => {
  const l = letter[t.outcome] ?? ''
  return t.persistence.startsWith('back') ? l.toUpperCase() : l
}
const recoveryWord: Record<string, string> = {
  'put-back': 'putting it back',
  reset: 'a reset',
  reflash: 'a reflash',
  'by-hand': 'hand, in the settings',
}
const handWord: Record<string, string> = {
  done: 'Done by hand, in the phone’s settings.',
  'not-offered': 'The phone’s settings do not offer it.',
}
function counts(t: Trial): string {
  const w = props.weights.get(t.id)
  if (!w) return 'none'
  return w.trials.length > 1 && w.trials[0] !== t.id ? 'merged' : w.weight.toFixed(2)
}
const filesOf = (t: Trial) => props.files.filter((f) => t.attachments.includes(f.id))
</script>

<template>
  <table class="listed" aria-label="Trials">
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
      <template v-for="t in trials" :key="t.id">
        <tr>
          <td><TrialStrip :strip="tick(t)" /></td>
          <td>
            <button class="link" :aria-expanded="opened === t.id" @click="opened = opened === t.id ? undefined : t.id">
              {{ outcomeWord[t.outcome] }}{{ t.function ? `: ${slugWords(t.function)}` : '' }}
            </button>
            <a v-if="t.run" class="second" :href="`/run/${t.run}`" target="_blank">run {{ t.run }}</a>
            <span v-if="t.note" class="second note" dir="auto">{{ t.note }}</span>
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
          <td class="num">{{ counts(t) }}</td>
        </tr>
        <tr v-if="opened === t.id" class="more">
          <td />
          <td colspan="7">
            <p>
              Android {{ t.release }}, {{ exactTime(t.at) }}, change {{ t.change }}.
              {{ recoveryWord[t.recovery] ? `Undone by ${recoveryWord[t.recovery]}.` : 'Undoing it was not tried.' }}
              {{ handWord[t.byHand] }}
            </p>
            <p v-if="t.tried.length">Tried afterwards: {{ t.tried.join(', ') }}.</p>
            <p v-if="weights.get(t.id)" class="second">
              Transfer {{ weights.get(t.id)!.transfer.toFixed(2)
              }}{{
                weights.get(t.id)!.trials.length > 1
                  ? `; one of ${weights.get(t.id)!.trials.length} trials of this phone, of which the worst stands`
                  : ''
              }}.
            </p>
            <div class="files"><AttachedFile v-for="f in filesOf(t)" :key="f.id" :file="f" /></div>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
td + td + td {
  white-space: nowrap;
}
.more td {
  white-space: normal;
}
.note {
  margin-left: 6px;
}
.more td {
  background: var(--soft);
  padding: 6px 12px 8px 0;
}
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-top: 4px;
}
.num {
  text-align: right !important;
}
</style>
