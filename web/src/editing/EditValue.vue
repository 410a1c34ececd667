<script setup lang="ts">
// The value of a field as words, not as raw data. One that the server can't read
// is not shown: nobody can tell what it would do here.
import { computed } from 'vue'
import EditFiles from './EditFiles.vue'
import LoadMark from '@/marks/LoadMark.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { count } from '@/format/numbers'
import { asText } from './written'
import { claimWord, country, loadWord, methodWord, originWord, outcomeWord, slugWords } from '@/format/vocabulary'

const props = defineProps<{ field: string; value: unknown; build?: string; unreadable?: string }>()

interface TrialValue {
  method: string
  outcome: string
  function?: string
  persistence: string
  watchedDays: number
  byHand?: string
  on?: string
  note?: string
  tried?: string[]
  attachments?: string[]
}
const load = computed(() =>
  props.field === 'load' ? (props.value as { load: string; conditions?: string[] } | null) : null,
)
const trial = computed(() => (props.field === 'trial' ? (props.value as TrialValue) : null))
interface SourceValue {
  title: string
  claim: string
  link?: string
  quote?: string
  attachment?: string
  load?: string
}
const source = computed(() => (props.field === 'source' ? (props.value as SourceValue) : null))
const tick = computed(() => {
  const t = trial.value
  if (!t) return ''
  const letter = { clean: 'c', 'function-lost': 'l', fault: 'f', 'no-start': 'n', refused: 'r' }[t.outcome] ?? ''
  return t.persistence.startsWith('back') ? letter.toUpperCase() : letter
})
const text = computed(() => {
  const v = props.value
  if (v === null || v === undefined) return 'not set'
  if (typeof v === 'string') return props.field === 'origin' ? (originWord[v] ?? v) : `“${v}”`
  if (props.field === 'countries' && Array.isArray(v))
    return v.map((c) => country(String(c))).join(', ') || 'any country'
  if (props.field === 'substitutes' && Array.isArray(v))
    return (
      (v as { name: string; first?: string }[])
        .map((s) => s.name + (s.first ? ` (first: ${s.first})` : ''))
        .join(', ') || 'none'
    )
  if (props.field === 'links' && Array.isArray(v))
    return (
      (v as { on: string; strength: string; why: string }[])
        .map((l) => `${l.on} (${l.strength}: ${l.why})`)
        .join(', ') || 'nothing'
    )
  if (props.field === 'debugging' || props.field === 'translations') return asText(props.field, v)
  if (Array.isArray(v)) return v.length ? v.map((s) => slugWords(String(s))).join(', ') : 'none'
  return Object.entries(v as Record<string, string>)
    .map(([lang, label]) => `${label} (${lang})`)
    .join(', ')
})
</script>

<template>
  <span v-if="unreadable" class="ochre">can’t be read: {{ unreadable }}</span>
  <span v-else-if="trial" class="value"
    ><TrialStrip :strip="tick" />
    <span
      >{{ methodWord[trial.method] }}{{ build ? ` on ${build}` : '' }}: <b>{{ outcomeWord[trial.outcome] }}</b>{{
        trial.function ? ` (${slugWords(trial.function)})` : ''
      }}{{ trial.watchedDays ? `, watched ${count(trial.watchedDays, 'day')}` : ''
      }}{{ trial.persistence.startsWith('back') ? `, ${slugWords(trial.persistence)}` : ''
      }}{{ trial.byHand === 'done' ? ', by hand in the settings' : trial.byHand ? ', not offered in the settings' : ''
      }}{{ trial.tried?.length ? `, tried: ${trial.tried.join(', ')}` : ''
      }}{{ trial.attachments?.length ? `, ${count(trial.attachments.length, 'file')}` : ''
      }}{{ trial.note ? `. “${trial.note}”` : '' }}</span
    ><EditFiles :ids="trial.attachments ?? []"
  /></span>
  <span v-else-if="load" class="value"
    ><LoadMark :load="load.load" silent />
    <span
      ><b>{{ loadWord[load.load] }}</b
      >{{ load.conditions?.length ? `, ${load.conditions.join('; ')}` : '' }}</span
    ></span
  >
  <span v-else-if="source" dir="auto"
    >{{ source.title }}: {{ source.load ? `calls it ${loadWord[source.load]}` : claimWord[source.claim]
    }}<template v-if="source.link"
      >, <a :href="source.link" target="_blank" rel="noopener noreferrer nofollow">{{ source.link }}</a></template
    >{{ source.quote ? `. “${source.quote}”` : '' }}<EditFiles :ids="source.attachment ? [source.attachment] : []"
  /></span>
  <span v-else class="text" :class="{ faint: value === null || value === undefined }" dir="auto">{{ text }}</span>
</template>

<style scoped>
.text {
  white-space: pre-line;
}
.value :deep(svg) {
  display: inline-block;
  vertical-align: text-bottom;
  margin-right: 8px;
}
b {
  font-weight: 600;
}
</style>
