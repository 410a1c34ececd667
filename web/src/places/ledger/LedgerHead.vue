<script setup lang="ts">
// The heads of the columns; builds stand on end.
import type { Schemas } from '@/api/client'
import { buildName, buildShort } from '@/composables/scope'
import { useColumns } from './columns'

defineProps<{ columns: Schemas['Build'][]; here?: string }>()
const { has } = useColumns()
</script>

<template>
  <div class="head cols" aria-hidden="true">
    <span>Load</span><span>Package</span><span v-if="has('label')">Label</span
    ><span v-if="has('trials')">Trials, near to far</span><span v-if="has('ceiling')">Harmed</span
    ><span v-if="has('standing')">Standing</span><span v-if="has('resting')">Rests on it</span
    ><span v-if="has('takes')">Takes</span><span v-if="has('phones')">Phones</span
    ><span v-if="has('origin')">Put there by</span><span v-if="has('icon')">Icon</span>
    <span v-if="has('builds')" class="builds">
      <i
        v-for="b in columns"
        :key="b.id"
        :class="{ here: here === b.id }"
        :title="`${buildName(b)}, Android ${b.release}`"
        >{{ buildShort(b) }}</i
      >
    </span>
  </div>
</template>

<style scoped>
.head {
  position: sticky;
  top: 0;
  z-index: 1;
  height: 52px;
  align-items: end;
  padding-bottom: 5px;
  background: var(--sheet);
  border-bottom: 1px solid var(--ink);
  font-size: 12px;
  color: var(--second);
}
.builds {
  display: flex;
  align-items: end;
  height: 46px;
}
.builds i {
  width: 15px;
  font: 11px/11px var(--sans);
  writing-mode: vertical-rl;
  transform: rotate(180deg);
}
.builds i.here {
  color: var(--ink);
  font-weight: 700;
}
</style>
