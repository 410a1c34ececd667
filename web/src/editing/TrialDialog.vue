<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import TrialStrip from '@/marks/TrialStrip.vue'
import { buildName, useBuilds, useScope } from '@/composables/scope'
import AttachFiles from './AttachFiles.vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import type { Subject } from './dialogs'
import { slugOf } from './written'
import TraySheet from '@/tray/TraySheet.vue'
import TrialForeseen from './TrialForeseen.vue'
import TriedChecks from './TriedChecks.vue'
import { ago, dayOf } from '@/format/dates'

const props = defineProps<{ subjects: Subject[]; title: string }>()
const emit = defineEmits<{ close: [] }>()
const { scope } = useScope()
const builds = useBuilds(
  () => scope.value.maker,
  () => scope.value.model,
)
const build = ref(scope.value.build)
watch(
  () => builds.data.value,
  (list) => (build.value ??= (list?.findLast((b) => !b.carrier) ?? list?.at(-1))?.id),
  { immediate: true },
)
const buildItems = computed(() =>
  (builds.data.value ?? []).map((b) => ({ value: b.id, title: `${buildName(b)}, Android ${b.release}` })),
)

const phones = useQuery({
  queryKey: computed(() => ['phones', build.value]),
  enabled: computed(() => !!build.value),
  queryFn: () =>
    ask(api.GET('/api/v1/builds/{id}/phones', { params: { path: { id: build.value! } } })).then((r) => r.items),
})
const other = 'another phone'
const phoneItems = computed(() => [
  ...(phones.data.value ?? []).map((p) => ({
    value: p.phone,
    title: `${p.phone.slice(0, 8)}, captured ${ago(p.takenAt)} by ${p.by}`,
  })),
  { value: other, title: 'another phone, not captured here' },
])
const phone = ref<string>()
const called = ref('')
watch(
  () => phones.data.value,
  (list) => {
    if (list) phone.value = list[0]?.phone ?? other
  },
  { immediate: true },
)

type Trial = Schemas['TrialsInputBody']
const method = ref<Trial['method']>('remove-for-user')
const outcome = ref<Trial['outcome']>()
const fn = ref('')
const persistence = ref('held')
const recovery = ref('not-tried')
const days = ref('0')
const today = dayOf(new Date())
const on = ref(today)
const tried = ref<string[]>([])
const note = ref('')
const files = ref<Schemas['Attachment'][]>([])
const refused = computed(() => outcome.value === 'refused')
const lost = computed(() => (outcome.value === 'function-lost' ? slugOf(fn.value) : ''))
const mark = computed(() => (phone.value === other ? `called:${called.value.trim()}` : (phone.value ?? '')))
const ready = computed(
  () =>
    !!outcome.value &&
    !!build.value &&
    (phone.value !== other || called.value.trim() !== '') &&
    (outcome.value !== 'function-lost' || lost.value !== '') &&
    (!refused.value || note.value.trim() !== ''),
)
const foreseen = computed<Trial | undefined>(() =>
  outcome.value && build.value
    ? {
        packages: props.subjects.map((s) => s.name),
        build: build.value,
        phone: mark.value,
        method: method.value,
        outcome: outcome.value,
        function: lost.value || undefined,
        persistence: refused.value ? 'not-watched' : persistence.value,
      }
    : undefined,
)

const edit = () => ({
  field: 'trial' as const,
  scope: { kind: 'everywhere' as const },
  value: {
    build: build.value,
    phone: mark.value,
    method: method.value,
    outcome: outcome.value,
    function: lost.value || undefined,
    persistence: refused.value ? 'not-watched' : persistence.value,
    recovery: recovery.value,
    watchedDays: Math.max(0, Math.round(Number(days.value) || 0)),
    on: on.value || undefined,
    note: note.value.trim(),
    tried: tried.value,
    attachments: files.value.map((f) => f.id),
  },
  reason: '',
})
const letters: Record<string, string> = { clean: 'c', 'function-lost': 'l', fault: 'f', 'no-start': 'n', refused: 'r' }
</script>

<template>
  <TraySheet
    :title="`What happened without ${title}`"
    :subjects="subjects"
    :ready="ready"
    :edit="edit"
    @close="emit('close')"
  >
    <p v-if="!scope.model" class="notice">Choose a model in the scope bar first: a trial is made on one firmware.</p>
    <template v-else>
      <div class="two">
        <v-select v-model="build" label="Build" :items="buildItems" />
        <v-select v-model="phone" label="Phone" :items="phoneItems" />
      </div>
      <v-text-field
        v-if="phone === other"
        v-model="called"
        label="What you call that phone, or its serial number"
        hint="Only a keyed hash of it is kept."
        persistent-hint
      />
      <ChoiceRow
        v-model="method"
        title="Method"
        :options="[
          { value: 'disable', word: 'disabled', key: 'd' },
          { value: 'remove-for-user', word: 'removed for the user', key: 'u' },
          { value: 'remove-from-image', word: 'removed from the image', key: 'i' },
        ]"
      />
      <ChoiceRow
        v-model="outcome"
        title="Outcome"
        :options="[
          { value: 'clean', word: 'clean', key: 'c' },
          { value: 'function-lost', word: 'function lost', key: 'l' },
          { value: 'fault', word: 'fault', key: 'f' },
          { value: 'no-start', word: 'no start', key: 'n' },
          { value: 'refused', word: 'refused', key: 'r' },
        ]"
      >
        <template #mark="{ value }"><TrialStrip :strip="letters[value] ?? ''" /></template>
      </ChoiceRow>
      <v-text-field v-if="outcome === 'function-lost'" v-model="fn" label="Which function" placeholder="payments" />
      <TrialForeseen v-if="foreseen" :trial="foreseen" />
      <template v-if="!refused">
        <ChoiceRow
          v-model="persistence"
          title="Did it last"
          :options="[
            { value: 'held', word: 'it stayed away' },
            { value: 'back-after-restart', word: 'back after a restart' },
            { value: 'back-after-update', word: 'back after an update' },
            { value: 'not-watched', word: 'not watched' },
          ]"
        />
        <div class="three">
          <v-text-field v-model="on" label="Taken off on" type="date" :max="today" />
          <v-text-field v-model="days" label="Days watched" type="number" min="0" max="3650" />
          <v-select
            v-model="recovery"
            label="Undone by"
            :items="[
              { value: 'not-tried', title: 'not tried' },
              { value: 'put-back', title: 'putting it back' },
              { value: 'reset', title: 'a reset' },
              { value: 'reflash', title: 'a reflash' },
            ]"
          />
        </div>
      </template>
      <TriedChecks v-if="!refused" v-model="tried" :subjects="subjects" />
      <v-textarea v-model="note" :label="refused ? 'The phone’s words' : 'Note'" rows="2" />
      <AttachFiles v-model="files" />
    </template>
  </TraySheet>
</template>

<style scoped>
.two,
.three {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
.three {
  grid-template-columns: 1fr 1fr 1fr;
}
</style>
