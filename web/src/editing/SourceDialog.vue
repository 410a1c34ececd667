<script setup lang="ts">
// A document that says something about a package.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import AttachFiles from './AttachFiles.vue'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import type { Subject } from './dialogs'
import { useScopeChoices } from './scopes'
import TraySheet from '@/tray/TraySheet.vue'
import { claimWord } from '@/format/vocabulary'

defineProps<{ subjects: Subject[]; title: string }>()
const emit = defineEmits<{ close: [] }>()

const name = ref('')
const link = ref('')
const quote = ref('')
const files = ref<Schemas['Attachment'][]>([])
const claim = ref('about')
const { choices, narrowest, scopeOf } = useScopeChoices()
const scope = ref(narrowest())
const claims = Object.entries(claimWord).map(([value, word]) => ({ value, word }))
const ready = computed(() => name.value.trim() !== '' && (link.value.trim() !== '' || files.value.length > 0))

const edit = () => ({
  field: 'source' as const,
  scope: scopeOf(scope.value),
  value: {
    title: name.value.trim(),
    link: link.value.trim() || undefined,
    attachment: files.value[0]?.id,
    quote: quote.value.trim() || undefined,
    claim: claim.value,
  },
  reason: '',
})
</script>

<template>
  <TraySheet :title="`A source about ${title}`" :subjects="subjects" :ready="ready" :edit="edit" @close="emit('close')">
    <v-text-field
      v-model="name"
      v-focus
      label="What it is"
      placeholder="Service note 12 of the maker"
      maxlength="200"
    />
    <v-text-field v-model="link" label="Where it can be read" placeholder="https://…" maxlength="2000" />
    <AttachFiles v-model="files" one />
    <v-textarea v-model="quote" label="The passage that matters, in its own words" maxlength="10000" rows="3" />
    <ChoiceRow v-model="claim" title="What it tells of, when the package goes" :options="claims" />
    <ChoiceRow v-model="scope" title="About which builds" :options="choices" />
    <template #note>A source is read beside trials; it never counts as one.</template>
  </TraySheet>
</template>
