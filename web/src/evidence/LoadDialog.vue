<script setup lang="ts">
import { computed, ref } from 'vue'
import LoadMark from '@/marks/LoadMark.vue'
import ChoiceRow from './ChoiceRow.vue'
import type { Subject } from './dialogs'
import { linesOf, useIntoTray } from './intoTray'
import { useScopeChoices } from './scopes'
import SheetDialog from './SheetDialog.vue'
import SubjectNames from './SubjectNames.vue'
import { loads, loadWord, type Load } from './words'

const props = defineProps<{ subjects: Subject[]; title: string; proposed?: Load }>()
const emit = defineEmits<{ close: [] }>()
const { busy, wrong, put } = useIntoTray(() => emit('close'))

const load = ref<Load | undefined>(props.proposed)
const { choices, narrowest } = useScopeChoices()
const scope = ref(narrowest())
const conditions = ref('')
const reason = ref('')
const options = loads.map((l, i) => ({ value: l, word: loadWord[l]!, key: l === 'unproven' ? '0' : String(i + 1) }))
const ready = computed(() => !!load.value && reason.value.trim() !== '')

function add() {
  const where = choices.value.find((c) => c.value === scope.value)
  if (!load.value || !where) return
  const value = { load: load.value, conditions: linesOf(conditions.value) }
  void put(() =>
    props.subjects.map((s) => ({
      package: s.name,
      field: 'load',
      scope: where.scope,
      value,
      reason: reason.value.trim(),
    })),
  )
}
</script>

<template>
  <SheetDialog
    :title="`Load of ${title}`"
    action="Into the tray"
    :busy="busy"
    :ready="ready"
    :wrong="wrong"
    @close="emit('close')"
    @act="add"
  >
    <template #about><SubjectNames :subjects="subjects" /></template>
    <ChoiceRow v-model="load" title="How much rests on it" :options="options">
      <template #mark="{ value }"><LoadMark :load="value" silent /></template>
    </ChoiceRow>
    <ChoiceRow v-model="scope" title="Where that holds" :options="choices" />
    <v-textarea
      v-model="conditions"
      label="Conditions, one a line"
      placeholder="not while a transit card is stored in it"
    />
    <v-textarea v-model="reason" v-focus label="Why" maxlength="2000" />
    <template #note>Nothing changes until a reviewer accepts it.</template>
  </SheetDialog>
</template>
