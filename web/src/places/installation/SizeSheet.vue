<script setup lang="ts">
// What an installation takes that has grown, computed from what was measured.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, words } from '@/api/client'
import { bytes, count } from '@/format/numbers'

const phones = ref(10_000)
const capturesAYear = ref(2)
const years = ref(3)
const asked = computed(() => ({
  phones: Math.round(phones.value),
  capturesAYear: capturesAYear.value,
  years: years.value,
}))
const size = useQuery({
  queryKey: computed(() => ['installation', 'size', asked.value]),
  enabled: computed(() => asked.value.phones >= 1),
  placeholderData: keepPreviousData,
  queryFn: () => ask(api.GET('/api/v1/installation/size', { params: { query: asked.value } })),
})
const s = computed(() => size.data.value)
const whole = (n: number) => n.toLocaleString('en')
const steps = [10_000, 1_000_000, 10_000_000]
</script>

<template>
  <section aria-label="If it grows">
    <h2>If it grows</h2>
    <form class="asked" @submit.prevent>
      <label>Phones <input v-model.number="phones" class="field" type="number" min="1" step="1000" /></label>
      <button v-for="n in steps" :key="n" type="button" class="link" :aria-pressed="phones === n" @click="phones = n">
        {{ whole(n) }}
      </button>
      <label
        >captured <input v-model.number="capturesAYear" class="field" type="number" min="0.1" step="0.5" /> times a
        year</label
      >
      <label>kept for <input v-model.number="years" class="field" type="number" min="0.5" step="0.5" /> years</label>
    </form>
    <p v-if="size.isError.value" class="harm" role="alert">{{ words(size.error.value) }}</p>
    <template v-if="s">
      <dl class="values">
        <dt>disk of the database</dt>
        <dd>
          {{ bytes(s.disk) }}, with {{ whole(s.sightings) }} sightings of {{ whole(s.assumed.packages) }} packages a
          phone and {{ whole(s.assumed.firmwares) }} firmwares
        </dd>
        <dt>its log</dt>
        <dd>{{ bytes(s.logADay) }} a day, where it is archived or sent to replicas</dd>
        <dt>a backup</dt>
        <dd>{{ bytes(s.backup) }}, without what is saved of phones</dd>
        <dt>its memory</dt>
        <dd>{{ bytes(s.memory) }} keep at hand what is asked for all the time</dd>
        <dt>the busiest hour</dt>
        <dd>
          {{ whole(Math.ceil(s.capturesAnHour)) }} captures, which keep
          {{ s.cores < 0.01 ? 'less than a hundredth of a core' : `${s.cores.toFixed(2)} cores` }} busy
        </dd>
        <dt>machines</dt>
        <dd>
          {{ count(s.servers, 'server') }}, one primary, {{ s.replicas ? count(s.replicas, 'replica') : 'no replica' }}
        </dd>
      </dl>
      <ul class="second">
        <li v-for="a in s.advice" :key="a">{{ a }}</li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 14px;
}
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: baseline;
}
.asked input {
  width: 9em;
}
.asked label + label input {
  width: 5em;
}
</style>
