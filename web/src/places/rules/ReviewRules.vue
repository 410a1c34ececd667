<script setup lang="ts">
// How many reviewers edits need: everybody reads it, the keeper sets it.
import { ref, watch } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import { useSession } from '@/composables/session'
const { may } = useSession()
const { etag, query } = useHeld('review-rules', () => api.GET('/api/v1/review-rules'))
const r = ref<Schemas['ReviewRules']>()
watch(
  () => query.data.value,
  (now) => {
    if (now) r.value = { ...now }
  },
  { immediate: true },
)
const { wrong, said: done, run } = useChange('rules')
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
  <section v-if="r" aria-label="Rules of review">
    <h1>How many reviewers edits need</h1>
    <p class="second about">One is always needed, and nobody accepts their own. Some need more.</p>
    <form @submit.prevent="hold">
      <fieldset :disabled="!may('keeper')">
        <legend>Reviewers for</legend>
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
      </fieldset>
      <button v-if="may('keeper')" class="act first">Let it hold</button>
      <p v-else class="second">Only the keeper can change this.</p>
    </form>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="done" role="status">{{ done }}</p>
  </section>
  <div v-else-if="query.isError.value" class="notice bad" role="alert">{{ words(query.error.value) }}</div>
</template>

<style scoped>
.about {
  margin-bottom: 12px;
}
label {
  display: grid;
  grid-template-columns: 460px 80px;
  gap: 12px;
  align-items: center;
  padding: 3px 0;
}
input[type='checkbox'] {
  justify-self: start;
}
.act {
  margin-top: 10px;
}
</style>
