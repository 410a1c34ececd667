<script setup lang="ts">
// What a run brought: the phone before and after, side by side, and what of it the
// phone itself attributed to what has gone. Printed, it is a picture for its owner.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { figure, gained, quantities, quantityNames, written } from '@/format/gain'
import { count, megabytes } from '@/format/numbers'
import GainPhones from '@/marks/GainPhones.vue'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ gain: Schemas['Gain']; brings?: Record<string, Schemas['Figure']>; release?: string }>()
const few = 6
const width = 150
const lines = computed(() =>
  quantityNames.flatMap((q) => {
    const d = props.gain.gained[q]
    if (!d) return []
    const most = Math.max(d.before, d.after, 1e-9)
    return [
      {
        q,
        what: quantities[q].word,
        was: written(q, d.before),
        is: written(q, d.after),
        gained: gained(q, d.gained),
        better: d.gained > 0 && gained(q, d.gained) !== 'as before',
        noise: !d.noise || gained(q, d.gained) === 'as before' ? '' : `± ${quantities[q].num(d.noise / 2)}`,
        bars: [(width * d.before) / most, (width * d.after) / most],
      },
    ]
  }),
)
const untold = computed(() => quantityNames.filter((q) => !props.gain.gained[q]).map((q) => quantities[q].word))
const most = computed(() => props.gain.parts.slice(0, few))
const told = computed(() =>
  quantityNames.filter((q) => ['memory', 'start', 'wakeups'].includes(q) && props.brings?.[q]),
)
const opened = ref(false)
const times = computed(() => [props.gain.before.length, props.gain.after.length])
</script>

<template>
  <section class="gain" aria-label="What it brought">
    <h2>
      What it brought
      <span v-if="Math.max(...times) > 1" class="second"
        >measured {{ count(times[0]!, 'time') }} before and {{ count(times[1]!, 'time') }} after</span
      >
      <span v-else class="second">measured before and after, each after a restart</span>
    </h2>
    <table class="listed">
      <thead>
        <tr>
          <th scope="col"><span class="visually-hidden">What</span></th>
          <th scope="col">before</th>
          <th scope="col">after</th>
          <th scope="col">gained</th>
          <td class="drawn" />
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines" :key="l.q">
          <th scope="row">{{ l.what }}</th>
          <td>{{ l.was }}</td>
          <td>{{ l.is }}</td>
          <td>
            <b v-if="l.better">{{ l.gained }}</b><span v-else class="second">{{ l.gained }}</span>
            <span class="second noise">{{ l.noise }}</span>
          </td>
          <td class="drawn" aria-hidden="true">
            <svg :width="width" height="14">
              <rect y="1" height="5" :width="l.bars[0]" class="was" />
              <rect y="8" height="5" :width="l.bars[1]" class="is" />
            </svg>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="untold.length" class="second">The phone does not tell: {{ untold.join(', ').toLowerCase() }}.</p>
    <p v-for="d in gain.doubts" :key="d" class="ochre">Hardly to be compared: {{ d }}.</p>
    <p v-if="most.length" class="second">Before, the phone attributed most of it to</p>
    <ul>
      <li v-for="p in most" :key="p.package">
        <PackageName :name="p.package" />
        <span class="second"
          >{{ megabytes(p.memory)
          }}{{ p.wakeups >= 0.5 ? `, woke it ${p.wakeups.toFixed(0)} times an hour` : '' }}</span
        >
      </li>
    </ul>
    <p v-if="gain.nothing.length" class="second">
      and nothing to {{ count(gain.nothing.length, 'package') }} that went: taking
      {{ gain.nothing.length === 1 ? 'it' : 'them' }} off brought nothing that can be measured.
    </p>
    <template v-if="told.length">
      <p class="second">
        This release, on {{ count(brings![told[0]!]!.phones, 'phone') }}:
        <button v-if="release" class="link screen" :aria-expanded="opened" @click="opened = !opened">
          {{ opened ? 'close them' : 'open them' }}
        </button>
      </p>
      <ul>
        <li v-for="q in told" :key="q">
          {{ quantities[q].word }}: <span class="second">{{ figure(q, brings![q]!) }}</span>
        </li>
      </ul>
      <GainPhones v-if="opened && release" :release="release" />
    </template>
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
td {
  text-align: end;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.noise {
  margin-inline-start: 6px;
}
.drawn {
  padding-inline-start: 14px;
  text-align: start;
}
.drawn svg {
  display: block;
}
.was {
  fill: var(--load-1);
}
.is {
  fill: var(--load-3);
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
@media (max-width: 720px) {
  .drawn {
    display: none;
  }
}
@media print {
  .screen {
    display: none;
  }
}
</style>
