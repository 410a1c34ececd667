<script setup lang="ts">
// Asking another person to publish: how it differs from the newest release is
// computed, from the rules as they are kept; what a person writes stands beside it.
import { computed, ref } from 'vue'
import { words as wordsOf } from '@/api/client'
import type { Schemas } from '@/api/client'
import SheetDialog from '@/ui/SheetDialog.vue'
import { count } from '@/format/numbers'
import { slugWords } from '@/format/vocabulary'
import { useComparison, type Composition } from './profile'
import ReleaseDifferences from './ReleaseDifferences.vue'

const props = defineProps<{ profile: Schemas['Composed']; composition: Composition; busy: boolean; wrong: string }>()
const emit = defineEmits<{ close: []; ask: [changes: string[], words: string] }>()
const id = computed(() => props.profile.id)
const revision = computed(() => props.profile.revision)
const { data, error } = useComparison(id, revision, ref(''))
const text = ref('')
const words = ref('')
const lines = computed(() => text.value.split('\n').filter((l) => l.trim()))
</script>

<template>
  <SheetDialog
    :title="`Ask to publish ${profile.name}, no. ${profile.newest + 1}`"
    action="Ask for it"
    :ready="!!data"
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
    <section aria-label="What differs">
      <h2>{{ data?.with ? `Otherwise than ${data.with}` : 'What is new' }}</h2>
      <p v-if="error" class="harm" role="alert">{{ wordsOf(error) }}</p>
      <ReleaseDifferences v-else-if="data" :lines="data.log" />
      <p v-else class="second">Comparing.</p>
    </section>
    <v-textarea v-model="text" v-focus label="What to say about it, if anything, a line each" rows="3" />
    <v-textarea v-model="words" label="For whoever looks at it" rows="2" maxlength="2000" />
    <template #note>Another maintainer sees the same list, signs it with the release, and publishes.</template>
  </SheetDialog>
</template>
