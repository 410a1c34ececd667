<script setup lang="ts">
import { computed, ref } from 'vue'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { words } from '@/api/client'
import { useTray } from '@/shell/tray'
import ChoiceRow from './ChoiceRow.vue'
import type { Subject } from './dialogs'
import { useScopeChoices } from './scopes'
import SheetDialog from './SheetDialog.vue'
import { loads, loadWord, type Load } from './words'

const props = defineProps<{ subject: Subject; proposed?: Load }>()
const emit = defineEmits<{ close: [] }>()
const tray = useTray()

const load = ref<Load | undefined>(props.proposed)
const { choices, narrowest } = useScopeChoices()
const scope = ref(narrowest())
const conditions = ref('')
const reason = ref('')
const wrong = ref('')
const busy = ref(false)
const options = loads.map((l, i) => ({ value: l, word: loadWord[l]!, key: l === 'unproven' ? '0' : String(i + 1) }))
const ready = computed(() => !!load.value && reason.value.trim() !== '')

async function add() {
  const where = choices.value.find((c) => c.value === scope.value)
  if (!load.value || !where) return
  busy.value = true
  try {
    await tray.add([
      {
        package: props.subject.name,
        field: 'load',
        scope: where.scope,
        value: {
          load: load.value,
          conditions: conditions.value
            .split('\n')
            .map((c) => c.trim())
            .filter(Boolean),
        },
        reason: reason.value.trim(),
      },
    ])
    emit('close')
  } catch (e) {
    wrong.value = words(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <SheetDialog
    :title="`Load of ${subject.label || subject.name}`"
    action="Into the tray"
    :busy="busy"
    :ready="ready"
    :wrong="wrong"
    @close="emit('close')"
    @act="add"
  >
    <template #about><PackageName :name="subject.name" /></template>
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
