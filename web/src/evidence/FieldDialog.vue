<script setup lang="ts">
// An edit of a plain field: words, a list of words, or names by language.
import { computed, ref } from 'vue'
import ChoiceRow from './ChoiceRow.vue'
import DescriptionText from './DescriptionText.vue'
import type { Subject } from './dialogs'
import { linesOf, slugOf } from './written'
import TraySheet from './TraySheet.vue'
import { fieldWord, originWord } from './words'

const props = defineProps<{
  subjects: Subject[]
  title: string
  field: 'description' | 'functions' | 'origin' | 'labels' | 'aliases' | 'countries'
  value: string | string[] | Record<string, string>
}>()
const emit = defineEmits<{ close: [] }>()

const commas = ['functions', 'countries']
function asText(v: typeof props.value): string {
  if (typeof v === 'string') return v
  if (Array.isArray(v)) return v.join(commas.includes(props.field) ? ', ' : '\n')
  return Object.entries(v)
    .map(([lang, label]) => `${lang}: ${label}`)
    .join('\n')
}
const text = ref(asText(props.value))
const reason = ref('')
const several = computed(() => props.subjects.length > 1)
const ready = computed(() => text.value.trim() !== asText(props.value).trim() && reason.value.trim() !== '')
const hints: Record<string, string> = {
  functions: 'Short words with commas between, such as payments, voice-mail',
  labels: 'One a line: the language, a colon, the name. en: Tips',
  aliases: 'One a line',
  countries: 'Two letters each, with commas between: NO, SE',
}

function parsed(): unknown {
  const words = text.value.split(/[,\n]/).filter((w) => w.trim())
  switch (props.field) {
    case 'functions':
      return words.map(slugOf)
    case 'countries':
      return words.map((c) => c.trim().toUpperCase())
    case 'aliases':
      return linesOf(text.value)
    case 'labels':
      return Object.fromEntries(
        linesOf(text.value).map((l) => {
          const at = l.indexOf(':')
          if (at < 1) throw new Error(`“${l}”: write the language, a colon and the name, such as en: Tips`)
          return [l.slice(0, at).trim(), l.slice(at + 1).trim()]
        }),
      )
    default:
      return text.value.trim()
  }
}
const edit = () => ({
  field: props.field,
  scope: { kind: 'everywhere' as const },
  value: parsed(),
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
