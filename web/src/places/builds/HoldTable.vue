<script setup lang="ts">
// Current releases on a model's builds: which holds where.
import { computed, nextTick, ref, watch } from 'vue'
import { holdWord, nameOf, type HeldRelease, type OnLine } from './builds'
import HoldMark from './HoldMark.vue'
import type { Schemas } from '@/api/client'

const props = defineProps<{ builds: OnLine[]; releases: HeldRelease[]; query: Record<string, string> }>()
const captured = computed(() => props.builds.filter((b) => b.packages))
const wordy = computed(() => captured.value.length <= 7)
// The newest firmware is in view first.
const box = ref<HTMLElement>()
watch(captured, () => void nextTick(() => box.value?.scrollTo({ left: box.value.scrollWidth })), { immediate: true })
const on = (r: HeldRelease, b: OnLine): Schemas['Hold'] | undefined => r.holds.find((h) => h.buildId === b.id)
const word = (h: Schemas['Hold']) =>
  h.lifted ? 'lifted' : h.state === 'unproven' && !h.claimed ? 'not made for it' : holdWord[h.state]
</script>

<template>
  <div ref="box" class="holds" tabindex="0" role="region" aria-label="Releases by firmware">
    <table>
      <thead>
        <tr>
          <th scope="col">Release</th>
          <th v-for="b in captured" :key="b.id" scope="col" :class="{ narrow: !wordy }">
            <span>{{ nameOf(b) }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in releases" :key="r.id">
          <th scope="row">
            {{ r.edition }} <span class="second">no. {{ r.number }}</span>
          </th>
          <td v-for="b in captured" :key="b.id">
            <router-link
              v-if="on(r, b)"
              :to="{ name: 'hold', params: { release: r.id, build: b.id }, query }"
              :title="`${r.edition} no. ${r.number} on ${nameOf(b)}: ${on(r, b)!.words}`"
              :class="{ harm: on(r, b)!.stoppedAt }"
              ><HoldMark :hold="on(r, b)" :silent="wordy" /><span v-if="wordy">{{ word(on(r, b)!) }}</span></router-link
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p class="key second">
    <HoldMark :hold="{ state: 'covered', claimed: true } as Schemas['Hold']" silent /> covered
    <HoldMark :hold="{ state: 'unproven', claimed: true } as Schemas['Hold']" silent /> made for it, not proven there
    <HoldMark :hold="{ state: 'unproven', claimed: false } as Schemas['Hold']" silent /> runs there, not made for it
    <HoldMark :hold="{ state: 'back', claimed: false } as Schemas['Hold']" silent /> something is otherwise there
    <HoldMark :hold="{ state: 'stops', stoppedAt: '1' } as Schemas['Hold']" silent /> would stop something
  </p>
</template>

<style scoped>
.holds {
  overflow-x: auto;
  padding-right: 18px;
}
table {
  margin-top: 4px;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 4px 18px 4px 0;
  white-space: nowrap;
}
thead th {
  color: var(--second);
  font-size: 12px;
  border-bottom: 1px solid var(--ink);
  vertical-align: bottom;
}
.narrow {
  padding-right: 5px;
}
.narrow span {
  writing-mode: vertical-rl;
  transform: rotate(180deg);
}
tbody th,
td {
  border-bottom: 1px solid var(--row);
}
th:first-child {
  position: sticky;
  left: 0;
  z-index: 1;
  padding-left: 18px;
  background: var(--sheet);
}
td {
  padding: 4px 16px 4px 0;
}
td a {
  display: flex;
  gap: 6px;
  align-items: center;
  text-decoration: none;
  white-space: nowrap;
}
.narrow ~ td,
td:has(a:not(:has(span))) {
  padding-right: 5px;
}
.key {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 7px;
  padding: 8px 18px;
  font-size: 12px;
}
.key svg:not(:first-child) {
  margin-left: 12px;
}
</style>
