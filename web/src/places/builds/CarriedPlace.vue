<script setup lang="ts">
// What is worse known on a build than on another: nothing is copied to a new
// firmware, distance alone makes ceilings rise. Loads can be proposed again, on
// several at once.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { useEvidenceDialogs } from '@/editing/dialogs'
import { ceiling, count, sentence } from '@/format/numbers'
import { loads, type Load } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useMarking } from '@/composables/marking'
import { useScope } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import { nameOf, useTimeline } from './builds'
import CarriedMargin from './CarriedMargin.vue'
import { inOrder, meaning, orders, taken, type Carried, type Order } from './carried'
import { usualPair } from './lanes'

const route = useRoute()
const router = useRouter()
const dialogs = useEvidenceDialogs()
const { scope, query } = useScope()
const line = useTimeline(
  () => scope.value.maker,
  () => scope.value.model,
)
const usual = computed(() => usualPair(line.data.value?.builds ?? [], scope.value.build))
const build = computed(() => scope.value.build ?? usual.value[1] ?? '')
const since = computed(() => String(route.query.since ?? usual.value[0] ?? ''))
const named = (id: string) => {
  const b = line.data.value?.builds.find((x) => x.id === id)
  return b ? nameOf(b) : ''
}
const carried = useQuery({
  queryKey: computed(() => ['carried', build.value, since.value]),
  enabled: computed(() => !!build.value && !!since.value),
  queryFn: () =>
    ask(
      api.GET('/api/v1/builds/{id}/carried/{since}', { params: { path: { id: build.value, since: since.value } } }),
    ).then((r) => r.items),
})
const sort = ref<Order>('stands')
const rows = computed(() => inOrder(carried.data.value ?? [], sort.value))
const cursor = useCursor(rows, { name: 'carried', of: 'package', key: (r) => r.name })
const { current } = cursor
const {
  marked,
  has: isMarked,
  mark,
  clear,
} = useMarking(
  'carried',
  rows,
  (r: { name: string }) => r.name,
  (r: Carried) => ({ name: r.name }),
)
const subjects = () => rows.value.filter((r) => (marked.value.length ? isMarked(r) : r === current.value))
// propose offers the load that all of them had, or one that is pressed.
function propose(load?: Load) {
  const list = subjects()
  const had = [...new Set(list.map((r) => r.then.load))]
  dialogs.load(list, load ?? (had.length === 1 && had[0] ? (had[0] as Load) : undefined))
}
useKeys([
  {
    keys: ['x'],
    does: 'mark it',
    run: () => {
      if (current.value) mark([current.value])
      cursor.move(1)
    },
  },
  { keys: ['X'], does: 'mark all', run: () => mark(rows.value, true) },
  { keys: ['Escape'], does: 'unmark all', run: clear },
  { keys: ['p'], does: 'propose the load again', run: () => propose() },
  {
    keys: ['1', '2', '3', '4', '0'],
    does: 'propose a load, 0 for Unproven',
    run: (e) => propose(e.key === '0' ? 'unproven' : loads[Number(e.key) - 1]!),
  },
  { keys: ['t'], does: 'add a trial', run: () => dialogs.trial(...subjects()) },
  {
    keys: ['Enter'],
    does: 'open its dossier',
    run: () =>
      current.value && router.push({ name: 'dossier', params: { name: current.value.name }, query: query.value }),
  },
])
</script>

<template>
  <div class="listbar">
    <b>{{ named(since) }} → {{ named(build) }}</b>
    <label class="second"
      >first
      <select v-model="sort" class="field" aria-label="Order">
        <option v-for="(word, k) in orders" :key="k" :value="k">{{ word }}</option>
      </select></label
    >
    <span v-if="marked.length" class="marked">
      {{ count(marked.length, 'row') }} marked
      <button class="act" @click="propose()">Propose again <KeyCap of="p" /></button>
      <button class="link second" @click="clear">unmark</button>
    </span>
    <span v-else class="second end">{{ carried.data.value ? count(rows.length, 'package') : '' }}</span>
  </div>
  <div v-if="carried.isError.value" class="notice bad" role="alert">{{ words(carried.error.value) }}</div>
  <div v-else-if="rows.length" class="body">
    <table v-bind="cursor.list.value" aria-label="What is worse known" aria-multiselectable="true">
      <thead>
        <tr>
          <th>Load</th>
          <th>Package</th>
          <th>Label</th>
          <th class="n">Harmed, then</th>
          <th class="n">here</th>
          <th class="n">rose by</th>
          <th>What it means</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="r in rows"
          :key="r.name"
          v-bind="cursor.row(r)"
          :class="{ picked: r === current, on: isMarked(r) }"
          @click="(cursor.put(r), mark([r]))"
        >
          <td><LoadMark :load="r.now.load || r.now.suggested" /></td>
          <td class="which">
            <router-link :to="{ name: 'dossier', params: { name: r.name }, query }" @click.stop
              ><PackageName :name="r.name"
            /></router-link>
          </td>
          <td class="label" dir="auto">{{ r.label || '—' }}</td>
          <td class="n">{{ r.then.phones ? ceiling(r.then.ceiling) : '' }}</td>
          <td class="n">{{ r.now.phones ? ceiling(r.now.ceiling) : '' }}</td>
          <td class="n">{{ r.rose >= 0.01 ? `+${Math.round(100 * r.rose)}` : '' }}</td>
          <td class="means" :title="meaning(r)">
            <span v-if="!r.stands" class="ochre">{{ sentence(r.why) }} </span>
            <span v-if="r.taken.length" class="second">{{ taken(r) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <div v-else-if="carried.isSuccess.value" class="empty">
    <h1>Nothing is worse known</h1>
    <p class="second">Every load still stands there, and no ceiling is higher.</p>
  </div>
  <p v-else-if="carried.isFetching.value || line.isFetching.value" class="wait second" role="status">Comparing.</p>
  <div v-else class="empty">
    <h1>Nothing to carry over from</h1>
    <p class="second">Pick two firmwares on a model's time line.</p>
    <router-link class="act" :to="{ path: '/builds', query }">Go to Builds</router-link>
  </div>
  <Teleport defer to="#margin"><CarriedMargin :row="current" /></Teleport>
</template>

<style scoped>
.wait {
  padding: 12px 18px;
}
.field {
  border: 0;
  border-bottom: 1px solid var(--hair);
}
.end,
.marked {
  margin-left: auto;
}
.marked {
  display: flex;
  align-items: center;
  gap: 10px;
}
.body {
  overflow: auto;
}
table {
  width: 100%;
}
th {
  font-size: 12px;
  font-weight: 400;
  color: var(--second);
  text-align: left;
  padding: 6px 12px 4px 0;
  border-bottom: 1px solid var(--hair);
  position: sticky;
  top: 0;
  background: var(--sheet);
}
td {
  padding: 3px 12px 3px 0;
  border-bottom: 1px solid var(--row);
}
th:first-child,
td:first-child {
  padding-left: 18px;
}
.n {
  text-align: right;
  white-space: nowrap;
}
.label,
.means {
  max-width: 150px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.means {
  max-width: 300px;
}
.which {
  max-width: 260px;
}
.which a {
  text-decoration: none;
}
tr.picked {
  background: var(--picked);
}
tr.on td:first-child {
  box-shadow: inset 3px 0 var(--ink);
}
</style>
