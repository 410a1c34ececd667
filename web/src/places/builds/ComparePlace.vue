<script setup lang="ts">
// Two builds, or a build and a phone, as three lanes: what is gone, what
// changed, what is new; each row with what it means for grades and for what was
// published.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { day } from '@/format/dates'
import { roleName } from '@/format/vocabulary'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import { nameOf, useTimeline, type ComparedPackage } from './builds'
import { usualPair } from './lanes'
import CompareLane from './CompareLane.vue'
import CompareMargin from './CompareMargin.vue'
import SidePick from './SidePick.vue'
import { filters, fits, groupings, grouped, onlyVersion, type Filter, type Grouping } from './comparing'
import { count } from '@/format/numbers'

const route = useRoute()
const router = useRouter()
const { scope, query } = useScope()
const line = useTimeline(
  () => scope.value.maker,
  () => scope.value.model,
)
const usual = computed(() => usualPair(line.data.value?.builds ?? [], scope.value.build))
function side(name: 'from' | 'to') {
  if (typeof route.query[name] === 'string') return route.query[name]
  const id = usual.value[name === 'from' ? 0 : 1]
  return id ? `build:${id}` : ''
}
const comparison = useQuery({
  queryKey: computed(() => ['comparison', side('from'), side('to')]),
  enabled: computed(() => !!side('from') && !!side('to')),
  queryFn: () => ask(api.GET('/api/v1/comparison', { params: { query: { from: side('from'), to: side('to') } } })),
})
const c = computed(() => comparison.data.value)
const text = ref('')
const only = ref<Filter>('telling')
const group = ref<Grouping>('none')
const found = computed(() => (c.value?.packages ?? []).filter((p) => fits(p, only.value, text.value)))
const versions = computed(() => (c.value?.packages ?? []).filter(onlyVersion).length)
const lanes = computed(() =>
  (['gone', 'changed', 'new'] as const).map((lane) => ({
    lane,
    all: (c.value?.packages ?? []).filter((p) => p.lane === lane || (lane === 'changed' && p.lane === 'renamed'))
      .length,
    groups: grouped(
      found.value.filter((p) => p.lane === lane || (lane === 'changed' && p.lane === 'renamed')),
      group.value,
    ),
  })),
)
// A lane without anything in it leaves its room to the others.
const share = { gone: 1, changed: 1.7, new: 1.2 }
const widths = computed(() => lanes.value.map((l) => `minmax(0, ${l.groups.length ? share[l.lane] : 0.4}fr)`).join(' '))
const order = computed(() => lanes.value.flatMap((l) => l.groups.flatMap((g) => g.rows)))
const cursor = useCursor<ComparedPackage>(order, { name: 'compared', of: 'package', key: (p) => p.name, as: 'group' })
const { current } = cursor
// l goes to the lane on the right, at its top.
function toLane() {
  const now = lanes.value.findIndex((l) => l.groups.some((g) => g.rows.includes(current.value!)))
  for (let i = 1; i <= 3; i++) {
    const first = lanes.value[(now + i) % 3]!.groups[0]?.rows[0]
    if (first) return cursor.put(first)
  }
}
const set = (name: 'from' | 'to', value: string) => void router.replace({ query: { ...route.query, [name]: value } })
const swap = () => void router.replace({ query: { ...route.query, from: side('to'), to: side('from') } })
useKeys([
  { keys: ['l'], does: 'the lane on the right', run: toLane },
  {
    keys: ['Enter'],
    does: 'open its dossier',
    run: () =>
      current.value && router.push({ name: 'dossier', params: { name: current.value.name }, query: query.value }),
  },
])
const title = (s: NonNullable<typeof c.value>['from']) =>
  s.kind === 'capture' ? `a phone of ${day(s.takenAt ?? '')}` : nameOf(s)
</script>

<template>
  <div v-if="comparison.isError.value" class="notice bad" role="alert">{{ words(comparison.error.value) }}</div>
  <template v-else-if="c">
    <header>
      <h1>
        {{ c.from.model === c.to.model ? c.to.modelName : `${c.from.modelName}, ${c.to.modelName}` }}:
        {{ title(c.from) }} → {{ title(c.to) }}
      </h1>
      <p class="second">
        {{ count(c.from.packages, 'package') }} then, {{ c.to.packages }} now; {{ versions }} differ in their version
        alone, {{ c.same }} in nothing
      </p>
    </header>
    <div class="bar">
      <SidePick :side="c.from" name="from" @pick="set('from', $event)" />
      <button class="link second" aria-label="Turn the comparison round" @click="swap">⇄</button>
      <SidePick :side="c.to" name="to" @pick="set('to', $event)" />
      <input v-model="text" class="field" type="search" placeholder="filter" aria-label="Filter by name or label" />
      <select v-model="only" class="field" aria-label="Which differences">
        <option v-for="(word, k) in filters" :key="k" :value="k">{{ word }}</option>
      </select>
      <select v-model="group" class="field" aria-label="Grouped by">
        <option v-for="(word, k) in groupings" :key="k" :value="k">{{ word }}</option>
      </select>
      <a
        class="link second end"
        :href="`/api/v1/comparison/export?from=${encodeURIComponent(side('from'))}&to=${encodeURIComponent(side('to'))}`"
        >CSV</a
      >
    </div>
    <p v-for="r in c.roles" :key="r.role" class="role" :class="{ ochre: r.class !== 'optional' }">
      <b>{{ roleName(r.role) }}</b>: {{ r.before.join(', ') || 'nobody' }} → {{ r.after.join(', ') || 'nobody' }}
    </p>
    <div class="lanes" :style="{ '--lanes': widths }" v-bind="cursor.list.value" aria-label="Differences">
      <CompareLane
        v-for="l in lanes"
        :key="l.lane"
        :lane="l.lane"
        :all="l.all"
        :groups="l.groups"
        :cursor="cursor"
        :query="query"
      />
    </div>
  </template>
  <p v-else-if="comparison.isFetching.value" class="line second" role="status">Comparing.</p>
  <div v-else class="empty">
    <h1>Nothing to compare</h1>
    <p class="second">Pick two firmwares on a model's time line.</p>
    <router-link class="act" :to="{ path: '/builds', query }">Go to Builds</router-link>
  </div>
  <Teleport defer to="#margin"><CompareMargin v-if="c" :row="current" :compared="c" /></Teleport>
</template>

<style scoped>
header {
  padding: 12px 18px 8px;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  padding: 0 18px 8px;
  border-bottom: 1px solid var(--ink);
}
.bar input {
  flex: 1 1 80px;
  max-width: 160px;
}
.bar select {
  max-width: 172px;
}
.end {
  margin-left: auto;
}
.role {
  padding: 4px 18px;
  border-bottom: 1px solid var(--row);
  overflow-wrap: anywhere;
}
.lanes {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: var(--lanes);
  overflow: auto;
}
.line {
  padding: 12px 18px;
}
@media (max-width: 1000px) {
  .lanes {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
