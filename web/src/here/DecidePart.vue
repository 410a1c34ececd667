<script setup lang="ts">
// What would go, what that costs, and what its owner keeps.
import { computed } from 'vue'
import type { Choices, Phone, Rehearsal, Row } from './messages'
import { known, many, t } from './words'
import { appName, functionName } from './wrote'

const props = defineProps<{ rehearsal: Rehearsal; choices: Choices; phone: Phone | undefined }>()
const emit = defineEmits<{ choose: [c: Choices]; give: [files: File[]]; next: [] }>()

const removals = computed(() => props.rehearsal.rows.filter((r) => r.kind === 'remove'))
const gone = computed(() => props.rehearsal.count.already + props.rehearsal.count.absent)
const going = computed(() => props.rehearsal.count.goes + props.rehearsal.count.refuses)
const toSee = computed(() =>
  props.rehearsal.rows.filter((r) => r.would === 'to-see' || props.choices.seen.includes(r.number)),
)
const stops = computed(() =>
  props.rehearsal.stops.filter((s) => !['other-firmware', 'not-seen-to', 'install-first'].includes(s.code)),
)
const otherFirmware = computed(
  () => props.choices.anyway || props.rehearsal.stops.some((s) => s.code === 'other-firmware'),
)
const sum = computed(() => {
  const { count, bytes } = props.rehearsal
  const all = [many('decide.go', going.value)]
  if (count.quietens) all.push(many('decide.quiets', count.quietens))
  if (count.leftOut) all.push(many('decide.stay', count.leftOut))
  if (gone.value) all.push(many('decide.gone', gone.value))
  if (bytes > 1e6) all.push(t('decide.free', { n: Math.round(bytes / 1e6) }))
  return all.map((words) => `${words}.`).join(' ')
})
const name = (r: { label?: string; package?: string; text?: string }) => appName(r) || r.package || r.text || ''

const turned = <T,>(list: T[], one: T) => (list.includes(one) ? list.filter((x) => x !== one) : [...list, one])
const keep = (f: string) => emit('choose', { ...props.choices, keep: turned(props.choices.keep, f) })
const leave = (r: Row) => emit('choose', { ...props.choices, leave: turned(props.choices.leave, r.package!) })
const see = (r: Row) => emit('choose', { ...props.choices, seen: turned(props.choices.seen, r.number) })
function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  if (input.files?.length) emit('give', [...input.files])
  input.value = ''
}
const skip = (r: Row) => emit('choose', { ...props.choices, without: turned(props.choices.without, r.number) })
</script>

<template>
  <h2>{{ t('decide.title') }}</h2>
  <p>
    <template v-if="phone">{{ t('decide.phone', { name: phone.name, version: phone.version }) }}</template>
    {{ ' ' }}
    <template v-if="otherFirmware">
      <span class="ochre">{{ t('decide.notMade') }}</span>
      <label>
        <input
          type="checkbox"
          :checked="choices.anyway"
          @change="$emit('choose', { ...choices, anyway: !choices.anyway })"
        />
        {{ t('decide.anyway') }}
      </label>
    </template>
    <template v-else>{{ rehearsal.fit === 'proven' ? t('decide.proven') : t('decide.made') }}</template>
  </p>
  <ul v-if="rehearsal.questions.length" class="rows">
    <li v-for="q in rehearsal.questions" :key="q.function">
      <span>
        <b class="asks">{{ known(`ask.${q.function}`, t('ask.other', { name: functionName(q.function) })) }}</b>
        <span class="second">
          {{ functionName(q.function) }}<template v-if="!q.seen">; {{ t('decide.nobody') }}</template></span
        >
      </span>
      <label><input type="checkbox" :checked="q.kept" @change="keep(q.function)" /> {{ t('decide.keep') }}</label>
    </li>
  </ul>
  <p v-else>{{ t('decide.none') }}</p>
  <p class="big" role="status">{{ sum }}</p>
  <template v-if="rehearsal.owners.length">
    <h3>{{ t('decide.needs') }}</h3>
    <ul class="rows">
      <li v-for="o in rehearsal.owners" :key="o.package">{{ appName(o) || o.package }}</li>
    </ul>
  </template>
  <template v-if="toSee.length">
    <h3>{{ t('decide.before') }}</h3>
    <ul class="rows">
      <li v-for="r in toSee" :key="r.number">
        <span
          >{{ r.text || name(r) }} <span v-if="r.why" class="second">{{ known(`why.${r.code}`, r.why) }}</span>
        </span>
        <label v-if="r.kind === 'check'">
          <input type="checkbox" :checked="choices.seen.includes(r.number)" @change="see(r)" /> {{ t('decide.seen') }}
        </label>
        <span v-else class="acts">
          <label v-if="r.code === 'file-wanted'" class="press file"
            >{{ t('decide.file') }}<input type="file" accept=".apk" multiple @change="chosen"
          /></label>
          <button class="press" @click="skip(r)">{{ t('decide.skip') }}</button>
        </span>
      </li>
    </ul>
  </template>
  <details>
    <summary>{{ t('decide.list') }}</summary>
    <ul class="rows">
      <li v-for="r in removals" :key="r.number">
        <span dir="auto">
          {{ name(r) }}
          <span class="second">
            <template v-if="r.would === 'already' || r.would === 'absent'">{{
              t(r.would === 'already' ? 'is.already' : 'is.absent')
            }}</template>
            <template v-else-if="r.would === 'refuses'">{{ t('decide.mightRefuse') }}</template>
            <template v-else-if="r.would === 'quietens'">{{ t('decide.quiet') }}</template>
            <template v-else-if="r.method === 'disable'">{{ t('decide.off') }}</template>
          </span>
        </span>
        <button v-if="['goes', 'quietens', 'refuses'].includes(r.would)" class="press" @click="leave(r)">
          {{ t('decide.leave') }}
        </button>
        <button
          v-else-if="r.would === 'left-out' && choices.leave.includes(r.package!)"
          class="press"
          @click="leave(r)"
        >
          {{ t('decide.take') }}
        </button>
      </li>
    </ul>
  </details>
  <div v-if="stops.length" class="note harm" role="alert">
    <b>{{ t('decide.stops') }}</b>
    <p v-for="s in stops" :key="s.words">{{ known(`stop.${s.code}`, s.words, { words: s.words }) }}</p>
  </div>
  <button class="go-on" :disabled="rehearsal.stops.length > 0" @click="$emit('next')">{{ t('decide.next') }}</button>
</template>

<style scoped>
.asks {
  display: block;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.file {
  position: relative;
  display: inline-flex;
  align-items: center;
}
.file input {
  position: absolute;
  inset: 0;
  width: 100%;
  opacity: 0;
  cursor: pointer;
}
.file:focus-within {
  outline: 2px solid var(--ring);
}
</style>
