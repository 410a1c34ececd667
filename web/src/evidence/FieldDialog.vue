<script setup lang="ts">
// An edit of a plain field: words, a list of words, or names by language.
import { computed, ref } from 'vue'
import { words } from '@/api/client'
import PackageName from '@/marks/PackageName.vue'
import { useTray } from '@/shell/tray'
import ChoiceRow from './ChoiceRow.vue'
import type { Subject } from './dialogs'
import SheetDialog from './SheetDialog.vue'
import { fieldWord, originWord } from './words'

const props = defineProps<{
  subject: Subject
  field: 'description' | 'functions' | 'origin' | 'labels' | 'aliases'
  value: string | string[] | Record<string, string>
}>()
const emit = defineEmits<{ close: [] }>()
const tray = useTray()

function asText(v: typeof props.value): string {
  if (typeof v === 'string') return v
  if (Array.isArray(v)) return v.join(props.field === 'functions' ? ', ' : '\n')
  return Object.entries(v)
    .map(([lang, label]) => `${lang}: ${label}`)
    .join('\n')
}
const text = ref(asText(props.value))
const reason = ref('')
const wrong = ref('')
const busy = ref(false)
const ready = computed(() => text.value.trim() !== asText(props.value).trim() && reason.value.trim() !== '')
const hints: Record<string, string> = {
  description: 'What it does, in plain words',
  functions: 'Short words with commas between, such as payments, voice-mail',
  labels: 'One a line: the language, a colon, the name. en: Tips',
  aliases: 'One a line',
}

function parsed(): unknown {
  const lines = text.value
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
  switch (props.field) {
    case 'functions':
      return text.value
        .split(/[,\n]/)
        .map((f) => f.trim().toLowerCase().replace(/\s+/g, '-'))
        .filter(Boolean)
    case 'aliases':
      return lines
    case 'labels':
      return Object.fromEntries(
        lines.map((l) => {
          const at = l.indexOf(':')
          if (at < 1) throw new Error(`“${l}”: write the language, a colon and the name, such as en: Tips`)
          return [l.slice(0, at).trim(), l.slice(at + 1).trim()]
        }),
      )
    default:
      return text.value.trim()
  }
}
async function add() {
  busy.value = true
  try {
    await tray.add([
      {
        package: props.subject.name,
        field: props.field,
        scope: { kind: 'everywhere' },
        value: parsed(),
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
const origins = Object.entries(originWord).map(([value, word]) => ({ value, word }))
</script>

<template>
  <SheetDialog
    :title="`${subject.label || subject.name}: ${fieldWord[field]}`"
    action="Into the tray"
    :busy="busy"
    :ready="ready"
    :wrong="wrong"
    @close="emit('close')"
    @act="add"
  >
    <template #about><PackageName :name="subject.name" /></template>
    <ChoiceRow v-if="field === 'origin'" v-model="text" title="Who put it there" :options="origins" />
    <v-textarea v-else v-model="text" v-focus :label="hints[field]" />
    <v-textarea v-model="reason" label="How you know" maxlength="2000" />
    <template #note>Nothing changes until a reviewer accepts it.</template>
  </SheetDialog>
</template>
