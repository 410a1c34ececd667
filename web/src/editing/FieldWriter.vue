<script setup lang="ts">
// Writes the value of a field, for who has to decide between two others.
import { ref, watch } from 'vue'
import LoadMark from '@/marks/LoadMark.vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import { asText, hints, linesOf, valueOf } from './written'
import { loads, loadWord, originWord, type Load } from '@/format/vocabulary'

const props = defineProps<{ field: string; value: unknown }>()
// undefined while what is written is not a value.
const written = defineModel<unknown>()
const wrong = ref('')
const start = props.value as { load?: Load; conditions?: string[] } | null
const load = ref<Load | undefined>(props.field === 'load' ? start?.load : undefined)
const conditions = ref(props.field === 'load' ? (start?.conditions ?? []).join('\n') : '')
const text = ref(props.field === 'load' ? '' : asText(props.field, props.value))
const origins = Object.entries(originWord).map(([value, word]) => ({ value, word }))
const loadChoices = loads.map((value) => ({ value, word: loadWord[value]! }))

watch(
  [load, conditions, text],
  () => {
    wrong.value = ''
    try {
      written.value =
        props.field === 'load'
          ? load.value && { load: load.value, conditions: linesOf(conditions.value) }
          : text.value.trim()
            ? valueOf(props.field, text.value)
            : undefined
    } catch (e) {
      written.value = undefined
      wrong.value = e instanceof Error ? e.message : String(e)
    }
  },
  { immediate: true },
)
</script>

<template>
  <template v-if="field === 'load'">
    <ChoiceRow v-model="load" title="How much rests on it" :options="loadChoices">
      <template #mark="choice"><LoadMark :load="choice.value" silent /></template>
    </ChoiceRow>
    <v-textarea v-model="conditions" label="Conditions, one a line" rows="2" />
  </template>
  <ChoiceRow v-else-if="field === 'origin'" v-model="text" title="Who put it there" :options="origins" />
  <v-textarea v-else v-model="text" :label="hints[field] ?? 'What is right'" rows="3" />
  <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
</template>
