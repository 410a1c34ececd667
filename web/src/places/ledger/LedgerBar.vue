<script setup lang="ts">
// The line above the rows: what is shown, in which order, in which columns.
import { computed } from 'vue'
import PopMenu from '@/ui/PopMenu.vue'
import { useScope } from '@/composables/scope'
import { columnWord, useColumns } from './columns'
import FilterField from './FilterField.vue'
import { groups, sorts, type View } from './view'
import SavedViews from './SavedViews.vue'

const props = defineProps<{
  view: View
  // How the rows that are shown are arranged.
  sort: NonNullable<View['sort']>
  group: NonNullable<View['group']>
  error: unknown
  found: number
  total: number
}>()
const emit = defineEmits<{ show: [change: Partial<View>] }>()
const filter = defineModel<string>({ required: true })
const { scope } = useScope()
const { chosen } = useColumns()
const exportTo = computed(() => (format: string) => {
  const query = new URLSearchParams({ format, sort: props.sort, group: props.group })
  if (props.view.q) query.set('q', props.view.q)
  for (const [key, value] of Object.entries(scope.value)) if (value) query.set(key, value as string)
  return `/api/v1/ledger/export?${query}`
})
const picked = (e: Event) => (e.target as HTMLSelectElement).value
</script>

<template>
  <div class="line">
    <FilterField v-model="filter" :error="error" />
    <label class="second"
      >by
      <select :value="group" aria-label="Group by" @change="emit('show', { group: picked($event) as View['group'] })">
        <option v-for="(word, value) in groups" :key="value" :value="value">{{ word }}</option>
      </select></label
    >
    <label class="second"
      >then
      <select :value="sort" aria-label="Sort by" @change="emit('show', { sort: picked($event) as View['sort'] })">
        <option v-for="(word, value) in sorts" :key="value" :value="value">{{ word }}</option>
      </select></label
    >
    <PopMenu v-slot="{ close }" word="views">
      <SavedViews :view="view" @show="(v) => (emit('show', v), close())" />
    </PopMenu>
    <PopMenu word="columns">
      <label v-for="(word, name) in columnWord" :key="name" class="column"
        ><input v-model="chosen" type="checkbox" :value="name" /> {{ word }}</label
      >
      <p class="files">
        <span class="second">These {{ found }} rows as</span>
        <a :href="exportTo('csv')" download>CSV</a> <a :href="exportTo('json')" download>JSON</a>
      </p>
    </PopMenu>
    <span aria-live="polite"
      ><b>{{ found }}</b> <span class="second">of {{ total }}</span></span
    >
  </div>
</template>

<style scoped>
.line {
  flex: none;
  height: 40px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 14px;
  border-bottom: 1px solid var(--hair);
}
select {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 0;
  border-bottom: 1px solid var(--hair);
  padding: 2px 0;
  max-width: 110px;
}
.line > label,
.line > span {
  white-space: nowrap;
}
.column {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
  cursor: pointer;
}
.files {
  display: flex;
  gap: 10px;
  margin-top: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--hair);
  white-space: nowrap;
}
</style>
