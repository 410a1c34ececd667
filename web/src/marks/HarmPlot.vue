<script setup lang="ts">
// For each firmware distance, the share of phones harmed from floor to ceiling,
// one bar a method. A click opens the trials behind a bar.
import { computed } from 'vue'
import { ceiling, floor } from '@/format/numbers'
import { methodWord } from '@/format/vocabulary'

export interface Bar {
  method: string
  distance: number
  words: string
  weight: number
  floor: number
  ceiling: number
  phones: number
  harmedPhones: number
}
const props = defineProps<{ bars: Bar[]; method: string; chosen?: { method: string; distance: number } }>()
const emit = defineEmits<{ open: [bar: Bar] }>()
const methods = ['remove-for-user', 'disable', 'quieten', 'remove-from-image']
const rows = computed(() => {
  const by = new Map<number, Bar[]>()
  for (const b of props.bars) by.set(b.distance, [...(by.get(b.distance) ?? []), b])
  return [...by.entries()]
    .sort((a, b) => a[0] - b[0])
    .map(([distance, bars]) => ({
      distance,
      words: bars[0]!.words,
      weight: bars[0]!.weight,
      bars: bars.sort((a, b) => methods.indexOf(a.method) - methods.indexOf(b.method)),
    }))
})
const width = 280
const at = (share: number) => 6 + share * (width - 12)
// The sign stays with its number at the end of a line.
const percent = (text: string) => text.replace(' ', '\u00a0')
const said = (b: Bar) =>
  `${b.harmedPhones} of ${b.phones} harmed, ` +
  `${b.harmedPhones ? `${percent(floor(b.floor))} to ` : 'at most '}${percent(ceiling(b.ceiling))}`
const inFull = (b: Bar) => `${methodWord[b.method]}: ${said(b)}`
const isChosen = (b: Bar) => props.chosen?.method === b.method && props.chosen.distance === b.distance
</script>

<template>
  <table class="plot">
    <caption class="visually-hidden">
      Share of phones harmed, by firmware distance and method
    </caption>
    <thead>
      <tr>
        <td />
        <th scope="col">
          <svg :width="width" height="14" aria-hidden="true">
            <text
              v-for="t in [0, 25, 50, 75, 100]"
              :key="t"
              :x="at(t / 100)"
              y="11"
              :text-anchor="t === 0 ? 'start' : t === 100 ? 'end' : 'middle'"
            >
              {{ t }}{{ t === 100 ? ' %' : '' }}
            </text>
          </svg>
          <span class="visually-hidden">Floor to ceiling</span>
        </th>
        <th scope="col">Harmed</th>
        <th scope="col" class="num">Counts</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.distance">
        <th scope="row">{{ row.words }}</th>
        <td>
          <button
            v-for="b in row.bars"
            :key="b.method"
            class="bar"
            :class="{ on: isChosen(b) }"
            :aria-expanded="isChosen(b)"
            :aria-label="`${inFull(b)}. Open its trials`"
            :title="inFull(b)"
            @click="emit('open', b)"
          >
            <svg :width="width" :height="b.method === method ? 18 : 11" aria-hidden="true">
              <line x1="6" :x2="width - 6" y1="50%" y2="50%" class="axis" />
              <line
                v-for="t in [0, 0.25, 0.5, 0.75, 1]"
                :key="t"
                :x1="at(t)"
                :x2="at(t)"
                y1="25%"
                y2="75%"
                class="axis"
              />
              <rect
                :x="at(b.floor)"
                :y="b.method === method ? 5 : 3.5"
                :width="Math.max(at(b.ceiling) - at(b.floor), 1)"
                :height="b.method === method ? 8 : 4"
                class="span"
                :class="{ faded: b.method !== method }"
              />
              <path
                :d="
                  b.method === method
                    ? `M${at(b.floor)} 3v12M${at(b.ceiling)} 3v12`
                    : `M${at(b.floor)} 2v7M${at(b.ceiling)} 2v7`
                "
                class="end"
              />
            </svg>
          </button>
        </td>
        <td class="said">
          <p v-for="b in row.bars" :key="b.method" :class="{ second: b.method !== method }">
            {{ b.method === method ? said(b) : inFull(b) }}
          </p>
        </td>
        <td class="second num">{{ row.weight }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.plot {
  width: 100%;
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 2px 14px 2px 0;
  border-bottom: 1px solid var(--row);
  vertical-align: middle;
}
thead th,
thead td {
  font-size: 12px;
  color: var(--second);
  padding-bottom: 0;
}
thead svg {
  display: block;
}
text {
  font-size: 11px;
  fill: var(--second);
}
tbody th {
  white-space: nowrap;
}
.bar {
  display: block;
  line-height: 0;
}
.bar:hover,
.bar.on {
  background: var(--picked);
}
.said {
  width: 100%;
}
.num {
  text-align: right;
  padding-right: 0;
}
.axis {
  stroke: var(--hair);
}
.span {
  fill: var(--load-2);
  opacity: 0.4;
}
.faded {
  opacity: 0.22;
}
.end {
  stroke: var(--ink);
  stroke-width: 1.5;
}
</style>
