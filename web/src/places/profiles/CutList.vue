<script setup lang="ts">
// The model's packages, ranked, with the cut line across: above it goes,
// below it stays. The line can be dragged, or moved with Shift and the arrows.
import { computed, ref } from 'vue'
import type { Cursor } from '@/composables/cursor'
import CutLine from './CutLine.vue'
import CutRows from './CutRows.vue'
import type { Order } from './line'
import type { Composition, Row, Rules } from './profile'

const props = defineProps<{
  composition: Composition
  rows: readonly Row[]
  rules: Rules
  editable: boolean
  cursor: Cursor<Row>
}>()
const order = defineModel<Order>('order', { required: true })
const emit = defineEmits<{
  cut: [ceiling: number]
  // By so many of the ceilings that packages have.
  step: [by: number]
  pin: [row: Row]
  unpin: [row: Row]
}>()

const height = 26
const headHeight = 27
const list = ref<HTMLElement>()
const sought = ref('')
// The places of rows in the ranking stay as they are while only some are shown.
const shown = computed(() => {
  const wanted = sought.value.trim().toLowerCase()
  return props.rows
    .map((row, index) => ({ row, index }))
    .filter(({ row: r }) => !wanted || `${r.package} ${r.label} ${r.why}`.toLowerCase().includes(wanted))
})
// What goes stands above the line, pinned or not; what stays below.
const above = computed(() => shown.value.filter((r) => r.row.goes))
const below = computed(() => shown.value.filter((r) => !r.row.goes))

function drag(to: number) {
  if (!list.value) return
  const y = to - list.value.getBoundingClientRect().top + list.value.scrollTop - headHeight
  // The line stands under as many rows as the pointer has passed: at the ceiling
  // of the last of them that it can take by itself.
  const passed = Math.max(0, Math.round((y - height / 2) / height))
  const rows = [...above.value, ...below.value].map((r) => r.row).slice(0, passed)
  const highest = rows.findLast((r) => r.eligible && !r.pin && !r.dropped)?.ceiling ?? 0
  if (highest !== props.rules.highestCeiling) emit('cut', highest)
}
</script>

<template>
  <section class="cutlist" aria-label="Ranked packages">
    <label class="seek"
      ><input
        v-model="sought"
        class="field"
        type="search"
        aria-label="Find in the list, by name or by why it stays"
        placeholder="find by name, or by why it goes or stays"
      />
      <select v-model="order" aria-label="Order">
        <option value="safest">safest first</option>
        <option value="worth">most gain for its harm first</option>
      </select></label
    >
    <div
      ref="list"
      class="rows"
      v-bind="cursor.list.value"
      aria-label="Packages, ranked"
      :aria-rowcount="composition.rows.length"
    >
      <div class="head cols" aria-hidden="true">
        <span>Load</span
        ><span>{{ order === 'safest' ? 'Goes, safest first' : 'Goes, most gain for its harm first' }}</span
        ><span>Trials</span><span>Harmed</span><span class="takes">Takes</span><span>Costs</span>
      </div>
      <template v-for="(part, p) in [above, below]" :key="p">
        <div v-if="p === 1" role="row" class="through">
          <div role="gridcell" class="through">
            <CutLine
              :rules="rules"
              :goes="composition.goes"
              :editable="editable"
              @drag="drag"
              @step="emit('step', $event)"
            />
          </div>
        </div>
        <CutRows
          :rows="part"
          :cursor="cursor"
          :method="rules.method"
          :editable="editable"
          @pin="emit('pin', $event)"
          @unpin="emit('unpin', $event)"
        />
      </template>
    </div>
  </section>
</template>

<style scoped>
.cutlist {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--hair);
  container-type: inline-size;
}
.rows > :deep(.cols) {
  display: grid;
  grid-template-columns: 30px minmax(150px, 1.3fr) 86px 56px 52px minmax(80px, 1fr) 40px;
  gap: 0 8px;
  align-items: center;
  padding: 0 14px;
}
.head {
  position: sticky;
  top: 0;
  z-index: 2;
  height: 27px;
  background: var(--sheet);
  color: var(--second);
  font-size: 12px;
  border-bottom: 1px solid var(--ink);
}
.rows {
  flex: 1;
  overflow-y: scroll;
  scrollbar-width: thin;
  padding-bottom: 40px;
}
.seek {
  display: flex;
  padding: 3px 14px;
  border-bottom: 1px solid var(--row);
}
.seek .field {
  flex: 1;
  border-color: transparent;
}
.rows:focus-visible {
  outline-offset: -2px;
}
.through {
  display: contents;
}
select {
  font: inherit;
  color: var(--second);
  background: var(--sheet);
  border: 0;
  max-width: 150px;
}
@container (max-width: 560px) {
  .rows > :deep(.cols) {
    grid-template-columns: 30px minmax(120px, 1.4fr) 56px 52px minmax(56px, 1fr) 46px;
  }
  .rows > :deep(.cols > :nth-child(3)) {
    display: none;
  }
}
@container (max-width: 400px) {
  .rows > :deep(.cols) {
    grid-template-columns: 30px minmax(110px, 1.4fr) 56px minmax(56px, 1fr) 46px;
  }
  .rows > :deep(.cols > .takes) {
    display: none;
  }
}
</style>
