<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import LoadMark from '@/marks/LoadMark.vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import type { Subject } from './dialogs'
import LoadForeseen from './LoadForeseen.vue'
import { linesOf } from './written'
import { useScopeChoices } from './scopes'
import TraySheet from '@/tray/TraySheet.vue'
import { loads, loadWord, type Load } from '@/format/vocabulary'

const props = defineProps<{ subjects: Subject[]; title: string; proposed?: Load }>()
const emit = defineEmits<{ close: [] }>()

const load = ref<Load | undefined>(props.proposed)
const { choices, narrowest, scopeOf } = useScopeChoices()
const scope = ref(narrowest())
const conditions = ref('')
const reason = ref('')
const options = loads.map((l, i) => ({ value: l, word: loadWord[l]!, key: l === 'unproven' ? '0' : String(i + 1) }))
const ready = computed(() => !!load.value && reason.value.trim() !== '')

const foreseen = computed<Schemas['LoadsInputBody'] | undefined>(() => {
  const at = choices.value.find((c) => c.value === scope.value)
  return load.value && at
    ? {
        packages: props.subjects.map((s) => s.name),
        scope: at.scope,
        load: load.value,
        conditions: linesOf(conditions.value),
      }
    : undefined
})
const edit = () => ({
  field: 'load' as const,
  scope: scopeOf(scope.value),
  value: { load: load.value, conditions: linesOf(conditions.value) },
  reason: reason.value.trim(),
})
</script>

<template>
  <TraySheet
    :title="`Load of ${title}`"
    :subjects="subjects"
    :ready="ready"
    :missing="!load ? 'Choose a load.' : 'Say why.'"
    :edit="edit"
    @close="emit('close')"
  >
    <ChoiceRow v-model="load" title="How much rests on it" :options="options">
      <template #mark="{ value }"><LoadMark :load="value" silent /></template>
    </ChoiceRow>
    <LoadForeseen v-if="foreseen" :of="foreseen" />
    <ChoiceRow v-model="scope" title="Where that holds" :options="choices" />
    <v-textarea
      v-model="conditions"
      label="Conditions, one a line"
      placeholder="not while a transit card is stored in it"
    />
    <v-textarea v-model="reason" v-focus label="Why" maxlength="2000" />
  </TraySheet>
</template>
