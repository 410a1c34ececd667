<script setup lang="ts">
// What a phone uses as it is, without a run; and what it used before.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { touch } from '@/api/stale'
import { ago } from '@/format/dates'
import { count, megabytes } from '@/format/numbers'
import { useJob } from './job'

const props = defineProps<{ bench: string; phone: Schemas['Phone'] }>()
const job = useJob<unknown, Schemas['MeasuredPhone']>(() => void touch('captures'))
const list = useQuery({
  queryKey: computed(() => ['measurements', props.phone.mark]),
  queryFn: () =>
    ask(api.GET('/api/v1/measurements', { params: { query: { phone: props.phone.mark!, limit: 6 } } })).then(
      (r) => r.items,
    ),
})
const rows = computed(() => list.data.value ?? [])
type Measured = Schemas['Measurement']
const told = (m: Measured, command: string) => !m.missing.includes(command)
const start = (m: Measured) => (m.startTook ? `${m.startTook.toFixed(1)} s` : '—')
const woken = (m: Measured) =>
  told(m, 'dumpsys alarm') && m.uptime >= 60 ? ((m.wakeups * 3600) / m.uptime).toFixed(0) : '—'
const state = (m: Measured) =>
  [
    m.screen ? `screen ${m.screen}` : '',
    m.plugged === 'yes' ? 'on the charger' : m.plugged === 'no' ? 'on its battery' : '',
    m.busy === 'yes' ? 'was installing' : '',
    m.unsettled ? 'had not settled' : '',
  ]
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <section class="measure" aria-label="What it uses">
    <div class="head">
      <div>
        <h2>What it uses</h2>
        <p class="second" aria-live="polite">
          {{
            job.busy.value
              ? 'Asking the phone, when it has settled: 20 seconds or less. Its screen opens a few everyday screens, and goes off.'
              : 'Memory, start, wake-ups and what each package takes, now; no app of its owner is kept by name.'
          }}
        </p>
      </div>
      <button v-if="job.busy.value" class="act" @click="job.cancel()">Stop</button>
      <button v-else class="act" @click="job.start(bench, { kind: 'measure', phone: phone.handle })">Measure</button>
    </div>
    <p v-if="job.wrong.value" class="ochre" role="alert">{{ job.wrong.value }}</p>
    <p v-if="list.isError.value" class="ochre" role="alert">{{ words(list.error.value) }}</p>
    <table v-if="rows.length" class="listed">
      <thead>
        <tr>
          <th scope="col">measured</th>
          <th scope="col" class="num">memory to be had</th>
          <th scope="col" class="num">start</th>
          <th scope="col" class="num">wake-ups an hour</th>
          <th scope="col" class="num">processes</th>
          <th scope="col">state</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(m, i) in rows" :key="i">
          <td>
            {{ ago(m.at) }}<span class="second">{{ m.run ? `, in run ${m.run}` : '' }}</span>
          </td>
          <td class="num">{{ m.measured.memAvailable ? megabytes(m.measured.memAvailable) : '—' }}</td>
          <td class="num">{{ start(m.measured) }}</td>
          <td class="num">{{ woken(m.measured) }}</td>
          <td class="num">{{ m.measured.processes || '—' }}</td>
          <td class="second">{{ state(m.measured) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="rows[0]?.measured.missing.length" class="second">
      The phone does not tell {{ count(rows[0].measured.missing.length, 'thing') }}:
      {{ rows[0].measured.missing.join('; ') }}.
    </p>
  </section>
</template>

<style scoped>
.measure {
  padding: 14px 18px;
  border-bottom: 1px solid var(--hair);
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  align-items: start;
}
h2 {
  font-size: 15px;
}
table {
  margin-top: 8px;
}
.num {
  text-align: end;
  white-space: nowrap;
}
</style>
