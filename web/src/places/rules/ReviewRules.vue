<script setup lang="ts">
// How many reviewers edits need: everybody reads it, the keeper sets it.
import { ref, watch } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import RulesForm from './RulesForm.vue'

const { etag, query } = useHeld('review-rules', () => api.GET('/api/v1/review-rules'))
const r = ref<Schemas['ReviewRules']>()
watch(
  () => query.data.value,
  (now) => {
    if (now) r.value = { ...now }
  },
  { immediate: true },
)
const { wrong, said, run } = useChange('rules')
const hold = () =>
  run(async () => {
    await ask(api.PUT('/api/v1/review-rules', { params: { header: { 'If-Match': etag.value } }, body: r.value! }))
    await query.refetch()
  }, 'It holds from now on; what was accepted before stays.')
const counts = [
  ['lenient', 'a load more lenient than the evidence suggests'],
  ['lowering', 'anything that lowers Load-bearing or Tied in'],
  ['newcomer', "a person's first changes"],
] as const
</script>

<template>
  <RulesForm
    name="Rules of review"
    title="How many reviewers edits need"
    about="One is always needed, and nobody accepts their own. Some need more."
    legend="Reviewers for"
    :ready="!!r"
    :failed="query.error.value"
    :wrong="wrong"
    :said="said"
    @hold="hold"
  >
    <template v-if="r">
      <label v-for="[key, text] in counts" :key="key">
        <span>{{ text }}</span>
        <input v-model.number="r[key]" class="field" type="number" min="1" max="3" required />
      </label>
      <label>
        <span>first changes are those before so many were accepted</span>
        <input v-model.number="r.firstChanges" class="field" type="number" min="0" max="100" required />
      </label>
      <label>
        <span>the only reviewer of an installation may accept their own; the history says so on each</span>
        <input v-model="r.alone" type="checkbox" />
      </label>
    </template>
  </RulesForm>
</template>

<style scoped>
input[type='checkbox'] {
  justify-self: start;
}
</style>
