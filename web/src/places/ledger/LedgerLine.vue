<script setup lang="ts">
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { ceiling, count, megabytes } from '@/format/numbers'
import { originWord } from '@/format/vocabulary'
import { useColumns } from './columns'
import type { LedgerRow } from './ledger'

defineProps<{ row: LedgerRow; picked: boolean; marked: boolean; inTray: boolean }>()
const { has } = useColumns()
defineEmits<{ open: [] }>()
const iconTitle = {
  yes: 'It has an icon on the home screen or in the list of apps',
  no: 'It has no icon: owners meet it in the settings alone',
  '': 'No capture has told whether it has an icon',
}
// What measured phones attribute to it: memory, and how often it wakes them.
function takes(r: LedgerRow) {
  if (!r.measured) return ''
  const parts = []
  if (r.memory >= 500_000) parts.push(`${Math.round(r.memory / 1e6)} MB`)
  if (r.wakeups >= 0.5) parts.push(`${Math.round(r.wakeups)}/h`)
  return parts.join(', ') || '–'
}
function takesTitle(r: LedgerRow) {
  if (!r.measured) return 'Nobody has measured it'
  const uses = `${megabytes(r.memory)} of memory and ${r.wakeups.toFixed(1)} wake-ups an hour`
  return `${count(r.measured, 'phone')} attribute to it ${uses}${r.starts ? '; it runs by itself' : ''}`
}
</script>

<template>
  <div class="row" data-testid="package" :class="{ picked, marked }" @dblclick="$emit('open')">
    <span role="gridcell"
      ><LoadMark :load="row.load" :class="{ suggested: row.bySuggestion }" /><span
        v-if="row.bySuggestion"
        class="visually-hidden"
        >by suggestion</span
      ><span v-if="marked" class="visually-hidden">marked</span></span
    >
    <span role="gridcell" class="to"
      ><a :href="`/packages/${row.name}`" tabindex="-1" @click.prevent="$emit('open')"
        ><PackageName :name="row.name" /></a
      ><i v-if="inTray" class="tag">in tray</i
      ><i
        v-else-if="row.waiting"
        class="tag"
        :title="`${count(row.waiting, 'edit waits', 'edits wait')} for a reviewer`"
        >in review</i
      ></span
    >
    <span v-if="has('label')" role="gridcell" class="label" dir="auto" :title="row.label">{{ row.label || '—' }}</span>
    <span v-if="has('trials')" role="gridcell"><TrialStrip :strip="row.strip" :most="136" /></span>
    <span v-if="has('ceiling')" role="gridcell">{{
      row.standing === 'untried' ? '' : `≤ ${ceiling(row.ceiling)}`
    }}</span>
    <span v-if="has('standing')" role="gridcell" class="second">{{ row.standing }}</span>
    <span
      v-if="has('resting')"
      role="gridcell"
      class="second"
      :title="`${row.hard} cannot do without it, ${row.soft} can in part`"
      ><b v-if="row.hard">{{ row.hard }}</b
      >{{ row.soft ? `${row.hard ? ' + ' : ''}${row.soft}` : '' }}</span
    >
    <span v-if="has('takes')" role="gridcell" class="second" :title="takesTitle(row)">{{ takes(row) }}</span>
    <span v-if="has('phones')" role="gridcell" class="second">{{
      row.phones ? `${row.phones} by ${row.people}` : ''
    }}</span>
    <span v-if="has('origin')" role="gridcell" class="second">{{ originWord[row.origin] }}</span>
    <span v-if="has('icon')" role="gridcell" class="second" :title="iconTitle[row.icon]">{{
      row.icon === 'no' ? '–' : row.icon
    }}</span>
    <span v-if="has('builds')" role="gridcell"><slot /></span>
  </div>
</template>

<style scoped>
.row {
  height: 26px;
  align-items: center;
  border-bottom: 1px solid var(--row);
  cursor: default;
}
.row:hover {
  background: var(--soft);
}
.row.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.row.marked {
  box-shadow: inset 3px 0 var(--ink);
  background: var(--picked);
}
.row.picked.marked {
  box-shadow:
    inset 3px 0 var(--ring),
    inset 6px 0 var(--ink);
}
.to {
  display: flex;
  gap: 6px;
  align-items: center;
  min-width: 0;
  line-height: 1;
}
.tag {
  flex: none;
  padding: 1px 4px;
  border: 1px solid var(--hair);
  font: 11px/1.2 var(--sans);
  color: var(--second);
}
.to a {
  min-width: 0;
  text-decoration: none;
}
.to a:hover {
  text-decoration: underline;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--second);
}
.suggested {
  opacity: 0.72;
}
</style>
