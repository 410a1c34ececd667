<script setup lang="ts">
import { computed, ref, watch, watchEffect } from 'vue'
import { useRouter } from 'vue-router'
import { ProblemError, words } from '@/api/client'
import { useEvidenceDialogs, type Subject } from '@/editing/dialogs'
import { count } from '@/format/numbers'
import { loads } from '@/format/vocabulary'
import PresenceStrip from '@/marks/PresenceStrip.vue'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useMarking, useMarkSteps } from '@/composables/marking'
import { useScope } from '@/composables/scope'
import { useTray } from '@/tray/tray'
import { asked, useColumns } from './columns'
import { useLedger, useView, type LedgerRow } from './ledger'
import { lines, type Line } from './lines'
import { useVisibleLines } from './visible'
import LedgerBar from './LedgerBar.vue'
import LedgerHead from './LedgerHead.vue'
import LedgerLine from './LedgerLine.vue'
import LedgerMargin from './LedgerMargin.vue'
import MarkedBar from './MarkedBar.vue'
import MarkedMargin from './MarkedMargin.vue'

const router = useRouter()
const { scope, query: scopeQuery } = useScope()
const dialogs = useEvidenceDialogs()

const { template } = useColumns()
const { edits } = useTray()
const inTray = computed(() => new Set(edits.value.map((e) => e.package)))
const { view, show } = useView()
const filter = ref(view.value.q)
watch(
  () => view.value.q,
  (v) => (filter.value = v === filter.value.trim() ? filter.value : v),
)
watch(filter, (text) => void show({ q: text.trim() }))
watchEffect(() => {
  const { q, sort: by } = view.value
  asked.value = by === 'memory' || /\b(memory|wakeups|starts)[:<>=]/i.test(q) ? ['takes'] : []
})

const { query, columns, rows, sort, group, found, total } = useLedger(scope, view)
const isMistake = computed(
  () => query.error.value instanceof ProblemError && query.error.value.type.endsWith(':filter'),
)
const closed = ref(new Set<string>())
const shown = computed(() => lines(rows.value, group.value, closed.value))
const packages = computed(() => shown.value.flatMap((l) => (l.kind === 'row' ? [l.row] : [])))

const { body, headHeight, virtual, visible } = useVisibleLines(shown, () => {
  if (query.hasNextPage.value && !query.isFetching.value) void query.fetchNextPage()
})
const cursor = useCursor(packages, {
  name: 'packages',
  of: 'package',
  key: (row) => row.name,
  scrollTo: (index) => {
    const line = shown.value.findIndex((l) => l.kind === 'row' && l.index === index)
    if (line >= 0) virtual.value.scrollToIndex(line, { align: 'auto' })
  },
})
const { current } = cursor
watch([view, scope], () => {
  cursor.reset()
  body.value?.scrollTo({ top: 0 })
})
function open(name: string) {
  void router.push({ name: 'dossier', params: { name }, query: scopeQuery.value })
}
function toggle(group: string) {
  const next = new Set(closed.value)
  if (!next.delete(group)) next.add(group)
  closed.value = next
}

// One edit to what is marked can reach across several views.
const {
  marked,
  has: isMarked,
  mark,
  click,
  clear,
} = useMarking(
  'packages',
  packages,
  (s: Subject) => s.name,
  (row: LedgerRow): Subject => ({ name: row.name, label: row.label }),
)
function pick(e: MouseEvent, index: number) {
  click(e, cursor.index.value, index)
  cursor.to(index)
}
const steps = useMarkSteps()
// Not one of the rows before is opened while what was asked for is on its way: it
// is, once it has come.
const opening = ref(false)
watch([opening, query.isPlaceholderData, query.isFetching], () => {
  if (!opening.value || query.isPlaceholderData.value) return
  opening.value = false
  if (current.value) open(current.value.name)
})
// What a line is drawn of: while the list scrolls, those that stay are not drawn again.
function drawnOf({ line, start }: { line?: Line; start: number }) {
  if (line?.kind !== 'row') return [line, start]
  return [line, start, line.row.id === current.value?.id, isMarked(line.row), inTray.value.has(line.row.name)]
}
// What keys are about: the marked rows, or else the one under the cursor.
const subjects = () => (marked.value.length ? marked.value : current.value ? [current.value] : [])
useKeys([
  {
    keys: ['Enter'],
    does: 'open its dossier',
    run: () => (opening.value = true),
  },
  {
    keys: ['x'],
    does: `mark it, for one edit to all that are marked${steps.value ? ', and go on to the next' : ''}`,
    run: () => {
      if (current.value) mark([current.value])
      if (steps.value) cursor.move(1)
    },
  },
  { keys: ['X'], does: 'mark all that are shown', run: () => mark(rows.value, true) },
  { keys: ['Escape'], does: 'unmark all', run: clear },
  { keys: ['t'], does: 'add a trial', run: () => dialogs.trial(...subjects()) },
  {
    keys: ['1', '2', '3', '4', '0'],
    does: 'propose a load, 0 for Unproven',
    run: (e) => dialogs.load(subjects(), e.key === '0' ? 'unproven' : loads[Number(e.key) - 1]!),
  },
])
</script>

<template>
  <LedgerBar
    v-model="filter"
    :view="view"
    :sort="sort"
    :group="group"
    :error="query.error.value"
    :found="found"
    :total="total"
    @show="(change) => void show(change)"
  />
  <MarkedBar v-if="marked.length" :marked="marked" @clear="clear" />
  <div v-if="query.isError.value && !isMistake" class="notice bad" role="alert">
    {{ words(query.error.value) }} <button class="link" @click="query.refetch()">Try again</button>
  </div>
  <template v-else-if="rows.length">
    <div
      ref="body"
      class="body"
      v-bind="cursor.list.value"
      :aria-rowcount="found"
      aria-label="Packages"
      :style="{ '--columns': template, '--builds': `${columns.length * 15}px` }"
    >
      <LedgerHead :columns="columns" :here="scope.build" />
      <div :style="{ height: `${virtual.getTotalSize() - headHeight}px`, position: 'relative' }">
        <div
          v-for="v in visible"
          :key="v.slot"
          v-memo="drawnOf(v)"
          class="at"
          :style="{ top: `${v.start - headHeight}px` }"
        >
          <div v-if="v.line?.kind === 'group'" role="row">
            <div role="gridcell">
              <button class="group" :aria-expanded="v.line.open" @click="toggle(v.line.group)">
                <span class="faint">{{ v.line.open ? '▾' : '▸' }}</span>
                <b>{{ v.line.title }}</b>
                <span class="second">{{ count(v.line.rows, 'package') }}</span>
              </button>
            </div>
          </div>
          <LedgerLine
            v-else-if="v.line?.kind === 'row'"
            class="cols"
            v-bind="cursor.row(v.line.row)"
            :row="v.line.row"
            :picked="v.line.row.id === current?.id"
            :marked="isMarked(v.line.row)"
            :in-tray="inTray.has(v.line.row.name)"
            @click="pick($event, v.line.index)"
            @open="open(v.line.row.name)"
          >
            <PresenceStrip v-if="columns.length" :cells="v.line.row.presence" />
          </LedgerLine>
        </div>
      </div>
    </div>
  </template>
  <div v-else-if="isMistake" class="empty">
    <h1>The filter can't be read</h1>
    <p class="second">What is wrong stands below it.</p>
    <button class="act" @click="filter = ''">Show all</button>
  </div>
  <div v-else-if="query.isPending.value" class="waiting" aria-busy="true" />
  <div v-else-if="total === 0" class="empty">
    <h1>No package is known here yet</h1>
    <p class="second">A capture of a phone fills the Ledger: attach one at the Bench and press Capture.</p>
    <router-link class="act" :to="{ path: '/bench', query: scopeQuery }">To the Bench</router-link>
  </div>
  <div v-else class="empty">
    <h1>Nothing fits “{{ view.q }}”</h1>
    <p class="second">None of the {{ total }} packages in scope fits this filter.</p>
    <button class="act" @click="filter = ''">Show all</button>
  </div>
  <Teleport defer to="#margin"
    ><MarkedMargin v-if="marked.length" :marked="marked" /><LedgerMargin
      v-else-if="current"
      :row="current"
      :marked="isMarked(current)"
      @mark="mark([current])"
  /></Teleport>
</template>

<style scoped>
.cols {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 0 8px;
  padding: 0 14px;
}
.body {
  flex: 1;
  overflow-y: scroll;
  scrollbar-width: thin;
  contain: strict;
}
.body:focus-visible {
  outline-offset: -2px;
}
.at {
  position: absolute;
  inset: 0 0 auto;
  height: 26px;
  contain: strict;
}
.group {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 100%;
  height: 26px;
  padding: 0 14px;
  background: var(--soft);
  border-bottom: 1px solid var(--hair);
}
.group b {
  font-weight: 650;
}
.group:focus-visible {
  outline-offset: -2px;
}
.waiting {
  flex: 1;
}
</style>
