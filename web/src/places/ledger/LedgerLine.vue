<script setup lang="ts">
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { ceiling, loadWord } from '@/evidence/words'
import type { LedgerRow } from './ledger'

defineProps<{ row: LedgerRow; picked: boolean }>()
defineEmits<{ open: [] }>()
</script>

<template>
  <div
    :id="`row-${row.id}`"
    class="row"
    role="option"
    :aria-selected="picked"
    :aria-label="`${row.label || row.name}: ${loadWord[row.load]}${row.bySuggestion ? ' by suggestion' : ''}, ${row.standing}`"
    :class="{ picked }"
    @dblclick="$emit('open')"
  >
    <LoadMark :load="row.load" :class="{ suggested: row.bySuggestion }" />
    <a class="to" :href="`/packages/${row.name}`" tabindex="-1" @click.prevent="$emit('open')"
      ><PackageName :name="row.name"
    /></a>
    <span class="label" dir="auto" :title="row.label">{{ row.label || '—' }}</span>
    <TrialStrip :strip="row.strip" :most="136" />
    <span>{{ row.standing === 'untried' ? '' : `≤ ${ceiling(row.ceiling)}` }}</span>
    <span class="second">{{ row.standing }}</span>
    <slot />
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
  text-decoration: none;
  line-height: 1;
}
.to:hover {
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
