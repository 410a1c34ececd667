<script setup lang="ts">
// When a sign-in ends by itself, and where technicians may have a bench reach.
import { ref, watch } from 'vue'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import { useSession } from '@/composables/session'
const { may } = useSession()
const { etag, query } = useHeld('installation-rules', () => api.GET('/api/v1/installation-rules'))
const hours = ref(0)
const networks = ref('')
watch(
  () => query.data.value,
  (now) => {
    if (!now) return
    hours.value = now.idleHours
    networks.value = now.benchNetworks.join('\n')
  },
  { immediate: true },
)
const { wrong, said: done, run } = useChange()
const hold = () =>
  run(async () => {
    await ask(
      api.PUT('/api/v1/installation-rules', {
        params: { header: { 'If-Match': etag.value } },
        body: { idleHours: hours.value, benchNetworks: networks.value.split(/[\s,]+/).filter(Boolean) },
      }),
    )
    await query.refetch()
  }, 'It holds from now on.')
</script>

<template>
  <section v-if="query.data.value" aria-label="Rules of the installation">
    <h1>Ways in, and ways out</h1>
    <p class="second about">How long a sign-in lasts, and what benches may reach for whom.</p>
    <form @submit.prevent="hold">
      <fieldset :disabled="!may('keeper')">
        <legend>For everybody</legend>
        <label>
          <span>a sign-in ends after so many hours in which nobody did anything with it</span>
          <input v-model.number="hours" class="field" type="number" min="1" max="336" required />
        </label>
        <label class="networks">
          <span
            >networks in which technicians may have a bench connect to phones by their address, one a line; maintainers
            may anywhere</span
          >
          <textarea
            v-model="networks"
            class="field mono"
            rows="3"
            spellcheck="false"
            placeholder="192.0.2.0/24"
            aria-label="Networks"
          ></textarea>
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
.networks {
  grid-template-columns: 460px 220px;
  align-items: start;
}
textarea {
  height: auto;
}
.act {
  margin-top: 10px;
}
</style>
