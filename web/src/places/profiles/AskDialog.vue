<script setup lang="ts">
// Asking another person to publish: with a change log, composed from what
// differs and edited by a person.
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import SheetDialog from '@/ui/SheetDialog.vue'
import { count } from '@/format/numbers'
import { slugWords } from '@/format/vocabulary'
import { useComparison, type Composition } from './profile'

const props = defineProps<{ profile: Schemas['Composed']; composition: Composition; busy: boolean; wrong: string }>()
const emit = defineEmits<{ close: []; ask: [changes: string[], words: string] }>()
const id = computed(() => props.profile.id)
const revision = computed(() => props.profile.revision)
const { data } = useComparison(id, revision, ref(''))
const log = ref('')
const words = ref('')
watch(data, (d) => (log.value ||= d?.log.join('\n') ?? ''), { immediate: true })
const lines = computed(() => log.value.split('\n').filter((l) => l.trim()))
</script>

<template>
  <SheetDialog
    :title="`Ask to publish ${profile.name}, no. ${profile.newest + 1}`"
    action="Ask for it"
    :ready="lines.length > 0"
    :busy="busy"
    :wrong="wrong"
    @close="emit('close')"
    @act="emit('ask', lines, words.trim())"
  >
    <p>
      {{ count(composition.goes, 'package') }} go from {{ profile.makerName }}
      {{ [profile.modelName, ...profile.sisters.map((s) => s.name)].join(', ') }}.
      {{
        composition.lost.length
          ? `It costs ${composition.lost.map((l) => slugWords(l.function)).join(', ')}.`
          : 'Nothing is known to be missed.'
      }}
    </p>
    <v-textarea v-model="log" v-focus label="What is new, a line each" rows="7" />
    <v-textarea v-model="words" label="For whoever looks at it" rows="2" maxlength="2000" />
    <template #note>Another maintainer looks, signs and publishes.</template>
  </SheetDialog>
</template>
