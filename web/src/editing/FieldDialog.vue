<script setup lang="ts">
// An edit of a plain field: words, a list of words, or names by language.
import { computed, ref, watch } from 'vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import DescriptionText from '@/ui/DescriptionText.vue'
import type { Subject } from './dialogs'
import { useScopeChoices } from './scopes'
import { asText, hints, longHints, valueOf } from './written'
import TraySheet from '@/tray/TraySheet.vue'
import { fieldWord, originWord } from '@/format/vocabulary'

const props = defineProps<{
  subjects: Subject[]
  title: string
  field: 'description' | 'functions' | 'origin' | 'labels' | 'aliases' | 'countries' | 'translations' | 'debugging'
  value: unknown
  // valueAt is the value at a scope, of a field that has several.
  valueAt?: (kind: string) => unknown
}>()
const emit = defineEmits<{ close: [] }>()

const text = ref(asText(props.field, props.value))
const reason = ref('')
const several = computed(() => props.subjects.length > 1)
const { choices, narrowest, scopeOf } = useScopeChoices()
const where = ref(narrowest())
watch(where, (kind, before) => {
  if (!props.valueAt || text.value !== asText(props.field, props.valueAt(before))) return // written on by now
  text.value = asText(props.field, props.valueAt(kind))
})
const ready = computed(
  () => text.value.trim() !== asText(props.field, props.value).trim() && reason.value.trim() !== '',
)
const edit = () => ({
  field: props.field,
  scope: props.field === 'debugging' ? scopeOf(where.value) : { kind: 'everywhere' as const },
  value: valueOf(props.field, text.value),
  reason: reason.value.trim(),
})
const origins = Object.entries(originWord).map(([value, word]) => ({ value, word }))
</script>

<template>
  <TraySheet
    :title="`${title}: ${fieldWord[field]}`"
    :subjects="subjects"
    :ready="ready"
    :edit="edit"
    @close="emit('close')"
  >
    <ChoiceRow v-if="field === 'origin'" v-model="text" title="Who put it there" :options="origins" />
    <DescriptionText v-else-if="field === 'description'" v-model="text" />
    <template v-else>
      <ChoiceRow v-if="field === 'debugging'" v-model="where" title="Where that holds" :options="choices" />
      <v-textarea v-model="text" v-focus :label="hints[field]" :rows="field === 'debugging' ? 9 : 5" />
      <p v-if="longHints[field]" class="second">{{ longHints[field] }}</p>
    </template>
    <p v-if="several" class="second">This takes the place of what each of them has now.</p>
    <v-textarea v-model="reason" label="How you know" maxlength="2000" />
  </TraySheet>
</template>
