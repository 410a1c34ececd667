<script setup lang="ts">
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { ceiling } from '@/evidence/words'
import type { LedgerRow } from './ledger'

defineProps<{ row: LedgerRow; picked: boolean }>()
defineEmits<{ open: [] }>()
</script>

<template>
  <div
    :id="`row-${row.id}`"
    class="row"
    role="row"
    data-testid="package"
    :aria-selected="picked"
    :class="{ picked }"
    @dblclick="$emit('open')"
  >
    <span role="gridcell"
      ><LoadMark :load="row.load" :class="{ suggested: row.bySuggestion }" /><span
        v-if="row.bySuggestion"
        class="visually-hidden"
        >by suggestion</span
      ></span
    >
    <span role="gridcell" class="to"
      ><a :href="`/packages/${row.name}`" tabindex="-1" @click.prevent="$emit('open')"
        ><PackageName :name="row.name" /></a
    ></span>
    <span role="gridcell" class="label" dir="auto" :title="row.label">{{ row.label || '—' }}</span>
    <span role="gridcell"><TrialStrip :strip="row.strip" :most="136" /></span>
    <span role="gridcell">{{ row.standing === 'untried' ? '' : `≤ ${ceiling(row.ceiling)}` }}</span>
    <span role="gridcell" class="second">{{ row.standing }}</span>
    <span role="gridcell"><slot /></span>
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
.to {
  min-width: 0;
  overflow: hidden;
  line-height: 1;
}
.to a {
  display: block;
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
