<script setup lang="ts">
// What is known against a load, told before it is proposed.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import { loads, loadWord, type Load } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'

const props = defineProps<{ of: Schemas['LoadsInputBody'] }>()
const query = useQuery({
  queryKey: computed(() => ['foreseen', 'load', props.of]),
  queryFn: () => ask(api.POST('/api/v1/loads/foreseen', { body: props.of })).then((r) => r.items),
  placeholderData: keepPreviousData,
})
const all = computed(() => query.data.value ?? [])
const one = computed(() => (all.value.length === 1 ? all.value[0] : undefined))
// The dialog asks for the reason itself, and says once why it needs two.
const asked = (f: Schemas['ForeseenLoad']) =>
  f.questions
    .filter((q) => q.kind !== 'reason-missing' && !(q.kind === 'more-lenient' && f.needs > 1))
    .map((q) => q.words)
const rank = (l: string) => (l === 'unproven' ? -1 : loads.indexOf(l as Load))
const structural = (f: Schemas['ForeseenLoad']) =>
  f.called && rank(f.called) > rank(props.of.load)
    ? `${loadWord[f.called]} by structure: other packages of the image cannot do without it.`
    : ''
// Of several packages: which of them something is known against, and what.
const against = computed(() =>
  all.value
    .map((f) => ({ name: f.package, words: [structural(f), ...f.why, ...asked(f)].filter(Boolean) }))
    .filter((f) => f.words.length),
)
const several = computed(() => all.value.filter((f) => f.needs > 1).length)
</script>

<template>
  <div v-if="all.length" class="foreseen" aria-live="polite">
    <template v-if="one">
      <p class="moves" data-testid="load moves">
        <LoadMark :load="one.before.load" silent />
        <span
          >{{ loadWord[one.before.load]
          }}<span class="second">{{ one.before.bySuggestion ? ', by suggestion' : ', set' }}</span></span
        >
        →
        <LoadMark :load="of.load" silent /><b>{{ loadWord[of.load] }}</b>
        <span v-if="one.suggested !== of.load" class="second">the evidence suggests {{ loadWord[one.suggested] }}</span>
      </p>
      <p v-if="structural(one)" class="ochre">{{ structural(one) }}</p>
      <p v-for="q in asked(one)" :key="q">{{ q }}</p>
      <p v-if="one.needs > 1" class="second">Needs {{ one.needs }} reviewers: {{ one.why.join('; ') }}.</p>
    </template>
    <template v-else-if="against.length">
      <p class="ochre">Something is known against it for {{ count(against.length, 'package') }} of {{ all.length }}.</p>
      <ul>
        <li v-for="f in against.slice(0, 6)" :key="f.name">
          <span class="mono">{{ f.name }}</span>: {{ f.words[0] }}
        </li>
      </ul>
      <p v-if="against.length > 6" class="second">and {{ against.length - 6 }} more</p>
      <p v-if="several" class="second">{{ count(several, 'of them needs', 'of them need') }} more than one reviewer.</p>
    </template>
    <p v-else class="second">Nothing is known against it.</p>
  </div>
</template>

<style scoped>
.moves {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  align-items: center;
}
.foreseen {
  border-left: 2px solid var(--hair);
  padding-left: 10px;
}
</style>
