<script setup lang="ts">
// Harm against gain: each package of the model that was measured as a mark, by its
// harm ceiling and by the memory that phones attribute to it, with the cut line
// where it stands. The line can be put where it brings most for its harm.
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import type { PlotOptions } from '@observablehq/plot'
import { api, ask, type Schemas } from '@/api/client'
import { figure, quantities, quantityNames } from '@/format/gain'
import { ceiling, count, megabytes, share } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'
import GainPhones from '@/marks/GainPhones.vue'
import NamedPackage from '@/marks/NamedPackage.vue'
import PackageName from '@/marks/PackageName.vue'
import PlotFrame from '@/marks/PlotFrame.vue'
import type { Cursor } from '@/composables/cursor'
import type { Composition, Pin, Row, Rules } from './profile'

const props = defineProps<{
  composition: Composition
  rules: Rules
  editable: boolean
  cursor: Cursor<Row>
  profile: Schemas['Composed']
}>()
const emit = defineEmits<{ cut: [ceiling: number]; pin: [to: Pin]; keep: [row: Row] }>()

const measured = computed(() => props.composition.rows.filter((r) => r.uses && r.standing !== 'untried'))
const untried = computed(() => props.composition.rows.filter((r) => r.uses && r.standing === 'untried').length)
const phones = computed(() => Math.max(0, ...measured.value.map((r) => r.uses!.phones)))
const mb = (r: Row) => r.uses!.memory / 1e6
const current = computed(() => props.cursor.current.value)
const suggested = computed(() => props.composition.suggested)
const there = computed(() => suggested.value?.ceiling === props.rules.highestCeiling)
const idle = computed(() =>
  props.composition.idle.flatMap((name) => props.composition.rows.filter((r) => r.package === name && !r.pin)),
)

const height = 250
// What is drawn is read here, so that it is drawn anew when that changes.
const options = computed(() => {
  const rows = measured.value
  const on = rows.filter((r) => r === current.value)
  const cut = props.rules.highestCeiling
  const better = suggested.value && !there.value ? [suggested.value.ceiling * 100] : []
  const reach = Math.min(1, Math.max(cut, ...rows.map((r) => r.ceiling), 0.3) * 1.04)
  return (plot: typeof import('@observablehq/plot'), width: number): PlotOptions => ({
    height,
    marginLeft: 44,
    marginRight: 10,
    marginTop: 18,
    marginBottom: 40,
    x: { domain: [0, reach * 100], label: 'at most so many of 100 phones harmed →', labelAnchor: 'right' },
    y: { type: 'sqrt', label: '↑ memory, MB', grid: true, nice: true, ticks: 4 },
    marks: [
      plot.rectX([0], { x1: 0, x2: cut * 100, fill: 'var(--soft)' }),
      plot.ruleX([cut * 100], { stroke: 'var(--ink)', strokeWidth: 2 }),
      plot.ruleX(better, { stroke: 'var(--ring)', strokeWidth: 2, strokeDasharray: '4 3' }),
      plot.dot(rows, {
        x: (r: Row) => r.ceiling * 100,
        y: mb,
        r: width > 300 && rows.length < 120 ? 4 : 3,
        fill: (r: Row) => (r.goes ? 'var(--load-3)' : 'none'),
        stroke: (r: Row) => (r.goes ? 'var(--load-3)' : r.eligible ? 'var(--second)' : 'var(--load-1)'),
        fillOpacity: 0.75,
      }),
      plot.dot(on, { x: (r: Row) => r.ceiling * 100, y: mb, r: 7, stroke: 'var(--ring)', strokeWidth: 2.5 }),
    ],
  })
})
const label = computed(
  () =>
    `${count(measured.value.length, 'package')} by harm ceiling and memory; the cut line stands at ${ceiling(props.rules.highestCeiling)}`,
)

// The marks are walked from left to right, and picked by a click near one.
const walk = computed(() =>
  [...measured.value].sort((a, b) => a.ceiling - b.ceiling || b.uses!.memory - a.uses!.memory),
)
function step(by: number) {
  const at = walk.value.findIndex((r) => r === current.value)
  const to = walk.value[Math.max(0, Math.min(at + by, walk.value.length - 1))]
  if (to) props.cursor.put(to)
}
function pick(e: MouseEvent) {
  const svg = (e.currentTarget as HTMLElement).querySelector('svg')
  if (!svg) return
  const dots = [...svg.querySelectorAll<SVGCircleElement>('g[aria-label="dot"]:first-of-type circle')]
  let best = 18
  let found = -1
  dots.forEach((dot, i) => {
    const box = dot.getBoundingClientRect()
    const far = Math.hypot(box.x + box.width / 2 - e.clientX, box.y + box.height / 2 - e.clientY)
    if (far < best) [best, found] = [far, i]
  })
  const row = measured.value[found]
  if (row) props.cursor.put(row)
}

// What the newest release brought, and what all that was run on the model did.
const release = computed(() => props.profile.releases.find((r) => r.state === 'current') ?? props.profile.releases[0])
const gain = useQuery({
  queryKey: computed(() => ['release-gain', release.value?.id]),
  enabled: computed(() => !!release.value),
  queryFn: () => ask(api.GET('/api/v1/releases/{id}/gain', { params: { path: { id: release.value!.id } } })),
})
const model = useQuery({
  queryKey: computed(() => ['model-gain', props.profile.maker, props.profile.model]),
  queryFn: () =>
    ask(
      api.GET('/api/v1/makers/{maker}/models/{model}/gain', {
        params: { path: { maker: props.profile.maker, model: props.profile.model } },
      }),
    ),
})
const figures = computed(() => {
  const f = gain.data.value?.figures ?? {}
  return quantityNames.filter((q) => f[q]).map((q) => ({ q, f: f[q]! }))
})
const opened = ref<'release' | 'model'>()
const toggle = (what: 'release' | 'model') => (opened.value = opened.value === what ? undefined : what)
</script>

<template>
  <section class="sheet" aria-label="Harm and gain" tabindex="0">
    <template v-if="measured.length">
      <h2>
        Harm against gain
        <span class="second"
          >what {{ count(phones, 'phone') }} attribute<template v-if="phones === 1">s</template> to
          {{ count(measured.length, 'package') }}</span
        >
      </h2>
      <div
        class="walk"
        tabindex="0"
        role="group"
        aria-label="Marks; the arrows walk them from the least harm to the most"
        @keydown.left.prevent.stop="step(-1)"
        @keydown.right.prevent.stop="step(1)"
      >
        <PlotFrame :options="options" :label="label" @click="pick" />
      </div>
      <p class="on" aria-live="polite">
        <template v-if="current?.uses">
          <NamedPackage :name="current.package" :label="current.label" />
          <span class="second"
            >{{ megabytes(current.uses.memory)
            }}<template v-if="current.uses.wakeups >= 0.5"
              >, {{ current.uses.wakeups.toFixed(0) }} wake-ups an hour</template
            >; {{ current.standing === 'untried' ? 'untried' : `≤ ${ceiling(current.ceiling)} harmed` }},
            {{ loadWord[current.load] }}, {{ current.goes ? 'goes' : 'stays' }}</span
          >
        </template>
        <span v-else-if="current" class="second"><PackageName :name="current.package" /> was never measured</span>
      </p>
      <p class="second">
        <svg width="10" height="10" aria-hidden="true"><circle cx="5" cy="5" r="3.5" class="goes" /></svg> goes
        <svg width="10" height="10" aria-hidden="true"><circle cx="5" cy="5" r="3.5" class="stays" /></svg> stays
        <svg width="10" height="10" aria-hidden="true"><circle cx="5" cy="5" r="3.5" class="out" /></svg> out of the
        line's reach
        <template v-if="untried">; {{ untried }} nobody has tried are not drawn</template>
      </p>
      <p v-if="suggested" class="suggest">
        <template v-if="there"
          >The line stands where it brings most for its harm: {{ share(suggested.memory / suggested.of) }} of what it
          could take.</template
        >
        <template v-else
          >At {{ ceiling(suggested.ceiling) }} the line would take {{ megabytes(suggested.memory) }}, which is
          {{ share(suggested.memory / suggested.of) }} of all that it could: beyond it more is added to the harm than to
          the gain.
          <button v-if="editable" class="act" @click="emit('cut', suggested.ceiling)">Put the line there</button>
        </template>
      </p>
      <template v-if="idle.length">
        <h2>Goes, and brings nothing <span class="second">to measured phones</span></h2>
        <ul>
          <li v-for="r in idle" :key="r.package">
            <NamedPackage :name="r.package" :label="r.label" />
            <button v-if="editable" class="link" @click="emit('keep', r)">keep</button>
          </li>
        </ul>
      </template>
    </template>
    <p v-else class="second none">
      Nobody has measured a phone of this model that has trials. Run a release with <i>Measure what it brings</i>, or
      press <i>Measure</i> at the Bench: what each package takes then stands here beside its harm.
    </p>
    <template v-if="release">
      <h2>
        What no. {{ release.number }} brought
        <button
          v-if="gain.data.value?.phones.length"
          class="link"
          :aria-expanded="opened === 'release'"
          @click="toggle('release')"
        >
          {{ count(gain.data.value.phones.length, 'phone') }}
        </button>
      </h2>
      <p v-if="!figures.length" class="second">Nobody has run and measured it.</p>
      <table v-else class="listed">
        <tbody>
          <tr v-for="{ q, f } in figures" :key="q">
            <th scope="row">{{ quantities[q].word }}</th>
            <td :class="{ second: f.verdict !== 'gain', ochre: f.verdict === 'loss' }">{{ figure(q, f) }}</td>
          </tr>
        </tbody>
      </table>
      <GainPhones v-if="opened === 'release'" :release="release.id" />
    </template>
    <template v-if="model.data.value?.memory.length">
      <h2>
        Worked out from what went together
        <button class="link" :aria-expanded="opened === 'model'" @click="toggle('model')">
          {{ count(model.data.value.phones.length, 'phone') }}
        </button>
      </h2>
      <p class="second">
        Memory, from phones that lost these and phones that kept them; what always went together can't be told apart. It
        is no sum of the above.
      </p>
      <table class="listed">
        <tbody>
          <tr v-for="e in model.data.value.memory" :key="e.packages[0]">
            <td>
              <PackageName :name="e.packages[0]!" /><span
                v-if="e.packages.length > 1"
                class="second"
                :title="e.packages.join('\n')"
              >
                and {{ e.packages.length - 1 }} more</span
              >
            </td>
            <td :class="{ second: e.verdict !== 'gain' }">
              {{
                e.verdict === 'gain'
                  ? `${megabytes(e.gained)}, between ${megabytes(e.low)} and ${megabytes(e.high)}`
                  : `nothing that can be told; at most ${megabytes(e.high)}`
              }}
            </td>
          </tr>
        </tbody>
      </table>
      <GainPhones v-if="opened === 'model'" :phones="model.data.value.phones" />
    </template>
  </section>
</template>

<style scoped>
.sheet {
  overflow: auto;
  padding: 2px 14px 24px;
}
.sheet:focus-visible {
  outline-offset: -2px;
}
h2 {
  margin: 14px 0 5px;
}
h2 .second {
  font-weight: 400;
}
.walk {
  cursor: crosshair;
}
.on {
  min-height: 38px;
}
.on > * {
  margin-inline-end: 8px;
}
svg {
  vertical-align: -1px;
}
.goes {
  fill: var(--load-3);
}
.stays {
  fill: none;
  stroke: var(--second);
}
.out {
  fill: none;
  stroke: var(--load-1);
}
.suggest {
  margin-top: 8px;
  padding-left: 8px;
  border-left: 3px solid var(--ring);
}
li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  line-height: 21px;
}
th {
  padding-inline-end: 10px;
  border-bottom: 1px solid var(--row);
  text-align: start;
  font-weight: 400;
  white-space: nowrap;
}
td,
th {
  vertical-align: top;
}
.none {
  margin-top: 14px;
}
</style>
