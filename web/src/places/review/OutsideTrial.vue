<script setup lang="ts">
// Trials made of what a stranger told: they go into the reviewer's tray, and
// somebody else decides about them, as about all others.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { methodWord, outcomeWord } from '@/format/vocabulary'
import SheetDialog from '@/ui/SheetDialog.vue'
import { asTrial, packagesIn, slugsOf, type OutsideReport } from './outside'

const props = defineProps<{ report: OutsideReport }>()
const emit = defineEmits<{ close: []; taken: [] }>()

const packages = ref(packagesIn(props.report).join('\n'))
const outcome = ref(asTrial[props.report.outcome])
const method = ref<Schemas['TakeReportInputBody']['method']>('remove-for-user')
const fun = ref(props.report.function.toLowerCase().trim().replaceAll(/\s+/g, '-'))
const days = ref(props.report.since ? Math.max(0, daysSince(props.report.since)) : 0)
const build = ref(props.report.buildId ?? '')
const note = ref('')
const reason = ref('')

function daysSince(day: string) {
  return Math.floor((new Date(props.report.at).getTime() - new Date(day).getTime()) / 86_400_000)
}

const slugs = slugsOf(props.report.releasePath)
const builds = useQuery({
  queryKey: ['builds', 'of-report', slugs?.maker, slugs?.model],
  enabled: !!slugs,
  queryFn: () => ask(api.GET('/api/v1/makers/{maker}/models/{model}/timeline', { params: { path: slugs! } })),
})
const list = computed(() => packages.value.split(/\s+/).filter(Boolean))
const outcomes = ['clean', 'function-lost', 'fault', 'no-start', 'refused'] as const

const { busy, wrong, run } = useChange('reports', 'tray')
async function take() {
  const done = await run(() =>
    ask(
      api.POST('/api/v1/reports/{id}/trials', {
        params: { path: { id: props.report.id } },
        body: {
          packages: list.value,
          method: method.value,
          outcome: outcome.value,
          function: outcome.value === 'function-lost' ? fun.value : undefined,
          watchedDays: days.value,
          build: build.value,
          note: note.value || undefined,
          reason: reason.value || undefined,
        },
      }),
    ),
  )
  if (done) emit('taken')
}
</script>

<template>
  <SheetDialog
    title="Make trials of it"
    action="Into my tray"
    :ready="list.length > 0 && !!build && (outcome !== 'refused' || !!note)"
    :busy="busy"
    :wrong="wrong"
    :missing="
      !list.length ? 'Which packages?' : !build ? 'On which firmware?' : 'The phone’s words belong into the note.'
    "
    @close="emit('close')"
    @act="take"
  >
    <label>Packages, one a line <textarea v-model="packages" class="field mono" rows="4" /></label>
    <label
      >Firmware
      <select v-model="build" class="field">
        <option v-if="report.buildId" :value="report.buildId">{{ report.buildName }}, as told</option>
        <option v-for="b in builds.data.value?.builds ?? []" :key="b.id" :value="b.id">
          {{ b.carrier }} {{ b.version }}
        </option>
      </select></label
    >
    <label
      >Method
      <select v-model="method" class="field">
        <option v-for="m in ['remove-for-user', 'disable'] as const" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <label
      >Outcome
      <select v-model="outcome" class="field">
        <option v-for="o in outcomes" :key="o" :value="o">{{ outcomeWord[o] }}</option>
      </select></label
    >
    <label v-if="outcome === 'function-lost'">Function <input v-model="fun" class="field" maxlength="60" /></label>
    <label>Days watched <input v-model.number="days" class="field" type="number" min="0" max="3650" /></label>
    <label>Note <textarea v-model="note" class="field" rows="2" maxlength="2000" /></label>
    <label>A word for whoever told <textarea v-model="reason" class="field" rows="2" maxlength="2000" /></label>
    <template #note>Somebody else decides about them.</template>
  </SheetDialog>
</template>

<style scoped>
label {
  display: grid;
  gap: 4px;
}
</style>
