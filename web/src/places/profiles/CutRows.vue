<script setup lang="ts">
// Packages on one side of the cut line. Only those of which something has changed are
// drawn anew, so that the line can be moved through hundreds.
import { ceiling, count, megabytes } from '@/format/numbers'
import { methodWord, slugWords } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import NamedPackage from '@/marks/NamedPackage.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import type { Cursor } from '@/composables/cursor'
import type { Row, Rules } from './profile'

const props = defineProps<{
  // With their places in the whole ranking, from zero.
  rows: readonly { row: Row; index: number }[]
  cursor: Cursor<Row>
  // By which the profile's packages go.
  method: Rules['method']
  editable: boolean
}>()
const emit = defineEmits<{ pin: [row: Row]; unpin: [row: Row] }>()

const takes = (r: Row) => (r.uses!.memory < 50_000 ? '–' : `${Math.round(r.uses!.memory / 1e6)} MB`)
const takesTitle = (r: Row) =>
  r.uses
    ? `${count(r.uses.phones, 'phone')} attribute to it ${megabytes(r.uses.memory)} and ${r.uses.wakeups.toFixed(1)} wake-ups an hour`
    : 'Nobody has measured it'
const said = (r: Row) => (r.goes && r.method !== props.method ? `${methodWord[r.method]}; ${r.why}` : r.why)
function costs(r: Row): string {
  const parts = r.goes && r.method !== props.method ? [methodWord[r.method]!] : []
  parts.push(...(r.lost ?? []).map(slugWords))
  if (r.comesBack) parts.push('comes back')
  if (r.refused) parts.push('may be refused')
  if (r.goes && !parts.length) return r.startsAtBoot ? 'nothing known' : 'nothing; little gained'
  return parts.join(', ')
}
</script>

<template>
  <div
    v-for="{ row: r, index } in rows"
    :key="r.package"
    v-memo="[r, index, r === cursor.current.value, method, editable]"
    v-bind="cursor.row(r)"
    :aria-rowindex="index + 1"
    class="row cols"
    :class="{
      stays: !r.goes,
      picked: r === cursor.current.value,
      pinned: !!r.pin || r.dropped,
      unreachable: !r.eligible,
    }"
    :title="r.why"
    @click="cursor.put(r)"
  >
    <span role="gridcell"><LoadMark :load="r.load" /></span>
    <span role="gridcell" class="name"><NamedPackage :name="r.package" :label="r.label" /></span>
    <span role="gridcell"><TrialStrip :strip="r.strip" :most="76" /></span>
    <span role="gridcell">{{ r.standing === 'untried' ? '' : `≤ ${ceiling(r.ceiling)}` }}</span>
    <span role="gridcell" class="second takes" :title="takesTitle(r)">{{ r.uses ? takes(r) : '' }}</span>
    <span role="gridcell" class="cost">{{ r.pin || r.dropped ? said(r) : r.goes ? costs(r) : costs(r) || r.why }}</span>
    <span role="gridcell" class="do">
      <button v-if="editable && r.pin" class="link" @click.stop="emit('unpin', r)">unpin</button>
      <button v-else-if="editable && r.load !== 'load-bearing'" class="link pin" @click.stop="emit('pin', r)">
        {{ r.goes ? 'keep' : 'take' }}
      </button>
    </span>
  </div>
</template>

<style scoped>
/* Rows that are scrolled away are neither laid out nor painted. */
.row {
  height: 26px;
  border-bottom: 1px solid var(--row);
  content-visibility: auto;
  contain-intrinsic-height: 26px;
}
.row:hover {
  background: var(--soft);
}
.row.stays {
  color: var(--second);
}
.row.stays > svg {
  opacity: 0.55;
}
.row.stays.pinned > svg {
  opacity: 1;
}
.row.pinned {
  background: var(--picked);
}
.row.picked {
  box-shadow: inset 3px 0 var(--ring);
  background: var(--picked);
}
.takes {
  white-space: nowrap;
}
.cost {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.do {
  text-align: right;
}
.pin {
  visibility: hidden;
}
.row:hover .pin,
.row.picked .pin,
.pin:focus-visible {
  visibility: visible;
}
</style>
