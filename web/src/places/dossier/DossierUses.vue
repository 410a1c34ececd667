<script setup lang="ts">
// What phones attribute to the package, firmware by firmware, beside what happened
// when it went: the median of the phones of each, with the smallest and the largest.
import { useQuery } from '@tanstack/vue-query'
import type { PlotOptions } from '@observablehq/plot'
import { computed, ref, watch } from 'vue'
import { api, ask } from '@/api/client'
import { day } from '@/format/dates'
import { count, megabytes } from '@/format/numbers'
import PlotFrame from '@/marks/PlotFrame.vue'
import type { Dossier } from './dossier'

const props = defineProps<{ d: Dossier; name: string }>()
const builds = computed(() =>
  props.d.ships.flatMap((s) => {
    const u = props.d.uses.find((one) => one.buildId === s.buildId)
    return u ? [{ ...s, ...u, called: `${s.model} ${s.carrier ? `${s.carrier} ` : ''}${s.version}` }] : []
  }),
)
type Used = (typeof builds.value)[number]
const nothing = (b: Used) => b.memory < 500_000 && b.wakeups < 0.5 && b.processes === 0
const words = (b: Used) =>
  nothing(b)
    ? 'nothing'
    : [
        megabytes(b.memory),
        b.wakeups >= 0.5 ? `${b.wakeups.toFixed(1)} wake-ups an hour` : '',
        b.processor >= 500 ? `${(b.processor / 1000).toFixed(1)} s of computing an hour` : '',
        b.traffic >= 50_000 ? `${megabytes(b.traffic)} of traffic an hour` : '',
        b.jobs >= 1 ? count(Math.round(b.jobs), 'job') : '',
        b.processes > 0 ? 'runs by itself' : 'does not run by itself',
      ]
        .filter(Boolean)
        .join(', ')

const rowHeight = 24
// What is drawn is read here, so that it is drawn anew when that changes.
const options = computed(() => {
  const list = builds.value
  const most = Math.max(...list.map((b) => b.most / 1e6), 1)
  return (plot: typeof import('@observablehq/plot'), width: number): PlotOptions => ({
    height: 34 + rowHeight * list.length,
    marginLeft: Math.min(170, width / 3),
    marginTop: 4,
    marginBottom: 30,
    x: { domain: [0, most], nice: true, label: 'memory, MB →', ticks: 5, grid: true },
    y: { domain: list.map((b) => b.called), label: null, tickSize: 0 },
    marks: [
      plot.ruleY(list, {
        y: 'called',
        x1: (b: Used) => b.least / 1e6,
        x2: (b: Used) => b.most / 1e6,
        stroke: 'var(--load-3)',
        strokeOpacity: 0.45,
        strokeWidth: 5,
      }),
      plot.tickX(list, { y: 'called', x: (b: Used) => b.memory / 1e6, stroke: 'var(--ink)', strokeWidth: 2, inset: 5 }),
    ],
  })
})

const opened = ref<string>()
watch(
  () => props.name,
  () => (opened.value = undefined),
)
const phones = useQuery({
  queryKey: computed(() => ['package-uses', props.name, opened.value]),
  enabled: computed(() => !!opened.value),
  queryFn: () =>
    ask(
      api.GET('/api/v1/packages/{name}/uses', {
        params: { path: { name: props.name }, query: { build: opened.value! } },
      }),
    ).then((r) => r.items),
})
</script>

<template>
  <section v-if="builds.length" class="band" aria-label="What it uses">
    <h2>What it uses <span class="second plain">as phones attribute it to it themselves</span></h2>
    <div class="two">
      <PlotFrame
        v-if="builds.some((b) => b.most >= 500_000)"
        :options="options"
        :label="`Memory by firmware: ${builds.map((b) => `${b.called} ${megabytes(b.memory)}`).join('; ')}`"
      />
      <ul>
        <li v-for="b in builds" :key="b.buildId">
          {{ b.called }}: <span class="second">{{ words(b) }}</span>
          <button
            class="link"
            :aria-expanded="opened === b.buildId"
            @click="opened = opened === b.buildId ? undefined : b.buildId"
          >
            {{ count(b.phones, 'phone') }}
          </button>
        </li>
      </ul>
    </div>
    <table v-if="opened && phones.data.value" class="listed" aria-label="Phones">
      <thead>
        <tr>
          <th scope="col">measured</th>
          <th scope="col">by</th>
          <th scope="col">in</th>
          <th scope="col" class="num">memory</th>
          <th scope="col" class="num">wake-ups an hour</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in phones.data.value" :key="p.phone">
          <td>{{ day(p.at) }}</td>
          <td class="second">{{ p.person }}</td>
          <td>
            <router-link v-if="p.run" class="link" :to="{ name: 'run', params: { id: p.run } }"
              >run {{ p.runNumber }}</router-link
            ><span v-else class="second">without a run</span>
          </td>
          <td class="num">{{ megabytes(p.memory) }}</td>
          <td class="num">{{ p.wakeups.toFixed(1) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.band {
  padding: 14px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  margin-bottom: 6px;
}
.plain {
  font-weight: 400;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 340px), 1fr));
  gap: 8px 26px;
}
li {
  line-height: 22px;
}
li button {
  margin-inline-start: 8px;
}
.num {
  text-align: end;
}
table {
  margin-top: 8px;
}
</style>
