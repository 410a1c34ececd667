<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import TrialStrip from '@/marks/TrialStrip.vue'
import { useScope } from '@/composables/scope'
import AttachFiles from './AttachFiles.vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import type { Subject } from './dialogs'
import { slugOf } from './written'
import TraySheet from '@/tray/TraySheet.vue'
import TrialForeseen from './TrialForeseen.vue'
import TrialPhone from './TrialPhone.vue'
import TriedChecks from './TriedChecks.vue'
import { dayOf } from '@/format/dates'

const props = defineProps<{ subjects: Subject[]; title: string }>()
const emit = defineEmits<{ close: [] }>()
const { scope } = useScope()
const build = ref(scope.value.build)
const phone = ref('')

type Trial = Schemas['TrialsInputBody']
const method = ref<Trial['method']>('remove-for-user')
const outcome = ref<Trial['outcome']>()
const fn = ref('')
const persistence = ref('held')
const recovery = ref('not-tried')
const byHand = ref('')
const days = ref('0')
const today = dayOf(new Date())
const on = ref(today)
const tried = ref<string[]>([])
const note = ref('')
const files = ref<Schemas['Attachment'][]>([])
const quietened = computed(() => method.value === 'quieten')
// What a phone's own settings can do is to take a package off, and not out of its
// image.
const handed = computed(() => method.value === 'disable' || method.value === 'remove-for-user')
const refused = computed(() => outcome.value === 'refused')
const lost = computed(() => (outcome.value === 'function-lost' ? slugOf(fn.value) : ''))
// What worked can't have been lost.
const both = computed(() => (lost.value ? tried.value.find((t) => slugOf(t) === lost.value) : undefined))
const missing = computed(() => {
  if (!build.value) return 'Say on which model and build.'
  if (!phone.value) return 'Say on which phone.'
  if (!outcome.value) return 'Say what came of it.'
  if (outcome.value === 'function-lost' && !lost.value) return 'Say which function was lost.'
  if (both.value) return `${both.value} was lost and worked: it can be one of them.`
  if (refused.value && !note.value.trim()) return 'Write down what the phone said.'
  return ''
})
const foreseen = computed<Trial | undefined>(() =>
  outcome.value && build.value
    ? {
        packages: props.subjects.map((s) => s.name),
        build: build.value,
        phone: phone.value,
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
    phone: phone.value,
    method: method.value,
    outcome: outcome.value,
    function: lost.value || undefined,
    persistence: refused.value ? 'not-watched' : persistence.value,
    recovery: recovery.value,
    byHand: (handed.value && byHand.value) || undefined,
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
    :ready="!missing"
    :missing="missing"
    :edit="edit"
    @close="emit('close')"
  >
    <TrialPhone v-model:build="build" v-model:phone="phone" :subjects="subjects" />
    <template v-if="build">
      <ChoiceRow
        v-model="method"
        title="Method"
        :options="[
          { value: 'quieten', word: 'quietened', key: 'q' },
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
            { value: 'held', word: quietened ? 'it stayed quiet' : 'it stayed away' },
            { value: 'back-after-restart', word: `${quietened ? 'loud' : 'back'} after a restart` },
            { value: 'back-after-update', word: `${quietened ? 'loud' : 'back'} after an update` },
            { value: 'not-watched', word: 'not watched' },
          ]"
        />
        <div class="three">
          <v-text-field v-model="on" :label="quietened ? 'Quietened on' : 'Taken off on'" type="date" :max="today" />
          <v-text-field v-model="days" label="Days watched" type="number" min="0" max="3650" />
          <v-select
            v-model="recovery"
            label="Undone by"
            :items="[
              { value: 'not-tried', title: 'not tried' },
              { value: 'put-back', title: 'putting it back' },
              { value: 'by-hand', title: 'hand, in the settings' },
              { value: 'reset', title: 'a reset' },
              { value: 'reflash', title: 'a reflash' },
            ]"
          />
        </div>
      </template>
      <v-select
        v-if="handed"
        v-model="byHand"
        label="By hand, in its settings"
        :items="[
          { value: '', title: 'not looked at' },
          { value: 'done', title: 'it was done there, by hand' },
          { value: 'not-offered', title: 'no button for it, or a grey one' },
        ]"
      />
      <TriedChecks v-if="!refused" v-model="tried" :subjects="subjects" />
      <v-textarea v-model="note" :label="refused ? 'The phone’s words' : 'Note'" rows="2" />
      <AttachFiles v-model="files" />
    </template>
  </TraySheet>
</template>

<style scoped>
.three {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 10px;
}
</style>
