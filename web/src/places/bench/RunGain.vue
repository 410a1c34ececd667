<script setup lang="ts">
// What a run brought: the phone before and after, side by side, and what of it the
// phone itself attributed to what has gone.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count, megabytes } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ gain: Schemas['Gain']; brings?: Schemas['ReleaseGain'] }>()
const few = 6
const signed = (n: number, say: (n: number) => string) =>
  n === 0 ? 'as before' : `${n > 0 ? '+' : '−'}${say(Math.abs(n))}`
const whole = (n: number) => String(Math.round(n))
const told = (command: string) => ![...props.gain.before.missing, ...props.gain.after.missing].includes(command)
// Of each: what the phone has more, or does less of; above 0 is a gain.
const lines = computed(() => {
  const { before, after, memory, data, processes, services, wakeups } = props.gain
  return [
    {
      what: 'Memory to be had',
      was: megabytes(before.memAvailable),
      is: megabytes(after.memAvailable),
      gained: signed(memory, megabytes),
      better: memory > 0,
      known: told('cat /proc/meminfo'),
    },
    {
      what: 'Processes',
      was: String(before.processes),
      is: String(after.processes),
      gained: signed(-processes, whole),
      better: processes > 0,
      known: told('dumpsys meminfo -c'),
    },
    {
      what: 'Services',
      was: String(before.services),
      is: String(after.services),
      gained: signed(-services, whole),
      better: services > 0,
      known: told('dumpsys activity services'),
    },
    {
      what: 'Woken by alarms',
      was: '',
      is: '',
      gained: `${signed(-wakeups, whole)} an hour`,
      better: wakeups > 0,
      known: told('dumpsys alarm') && told('cat /proc/uptime'),
    },
    {
      what: 'Room for data',
      was: megabytes(before.dataFree),
      is: megabytes(after.dataFree),
      gained: signed(data, megabytes),
      better: data > 0,
      known: told('df -k /data'),
    },
  ]
})
const most = computed(() => props.gain.parts.slice(0, few))
const figure = computed(() => props.brings?.memory)
</script>

<template>
  <section class="gain" aria-label="What it brought">
    <h2>What it brought <span class="second">measured before and after, each after a restart</span></h2>
    <table class="listed">
      <thead>
        <tr>
          <th scope="col"><span class="visually-hidden">What</span></th>
          <th scope="col">before</th>
          <th scope="col">after</th>
          <th scope="col">gained</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines" :key="l.what">
          <th scope="row">{{ l.what }}</th>
          <template v-if="l.known">
            <td>{{ l.was }}</td>
            <td>{{ l.is }}</td>
            <td>
              <b v-if="l.better">{{ l.gained }}</b><span v-else class="second">{{ l.gained }}</span>
            </td>
          </template>
          <td v-else colspan="3" class="second">the phone does not tell</td>
        </tr>
      </tbody>
    </table>
    <p v-for="d in gain.doubts" :key="d" class="ochre">Hardly to be compared: {{ d }}.</p>
    <p v-if="most.length" class="second">Before, the phone attributed most of it to</p>
    <ul>
      <li v-for="p in most" :key="p.package">
        <PackageName :name="p.package" />
        <span class="second"
          >{{ megabytes(p.memory) }}{{ p.wakeups ? `, woke it ${count(p.wakeups, 'time')}` : '' }}</span
        >
      </li>
    </ul>
    <p v-if="gain.nothing.length" class="second">
      and nothing to {{ count(gain.nothing.length, 'package') }} that went: taking
      {{ gain.nothing.length === 1 ? 'it' : 'them' }} off brought nothing that can be measured.
    </p>
    <p v-if="figure" class="second">
      This release, on {{ count(figure.phones, 'phone') }}:
      <template v-if="figure.measurable"
        >{{ megabytes(figure.median) }} of memory, between {{ megabytes(figure.low) }} and
        {{ megabytes(figure.high) }}.</template
      ><template v-else-if="figure.high || figure.low">no measurable gain of memory.</template
      ><template v-else>too few to say what it brings others; six are needed.</template>
    </p>
  </section>
</template>

<style scoped>
.gain {
  padding: 10px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 .second {
  font-weight: 400;
}
table {
  margin: 4px 0 8px;
}
tbody th {
  border-bottom: 1px solid var(--row);
  font-weight: 400;
  text-align: start;
}
td:not([colspan]) {
  text-align: end;
  font-variant-numeric: tabular-nums;
}
thead th:not(:first-child) {
  padding-inline-end: 12px; /* as the figures below have it */
  text-align: end;
}
li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  line-height: 20px;
}
b {
  font-weight: 650;
}
</style>
