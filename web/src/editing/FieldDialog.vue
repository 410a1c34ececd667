<script setup lang="ts">
// An edit of a plain field: words, a list of words, or names by language.
import { computed, ref } from 'vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import DescriptionText from '@/ui/DescriptionText.vue'
import type { Subject } from './dialogs'
import { asText, hints, valueOf } from './written'
import TraySheet from '@/tray/TraySheet.vue'
import { fieldWord, originWord } from '@/format/vocabulary'

const props = defineProps<{
  subjects: Subject[]
  title: string
  field: 'description' | 'functions' | 'origin' | 'labels' | 'aliases' | 'countries'
  value: string | string[] | Record<string, string>
}>()
const emit = defineEmits<{ close: [] }>()

const text = ref(asText(props.field, props.value))
const reason = ref('')
const several = computed(() => props.subjects.length > 1)
const ready = computed(
  () => text.value.trim() !== asText(props.field, props.value).trim() && reason.value.trim() !== '',
)
const edit = () => ({
  field: props.field,
  scope: { kind: 'everywhere' as const },
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
    <v-textarea v-else v-model="text" v-focus :label="hints[field]" />
    <p v-if="several" class="second">This takes the place of what each of them has now.</p>
    <v-textarea v-model="reason" label="How you know" maxlength="2000" />
  </TraySheet>
</template>
