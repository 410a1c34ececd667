<script setup lang="ts">
// What was changed about the package, field by field; any earlier state can be
// proposed again.
import { computed, ref } from 'vue'
import { useChange } from '@/composables/change'
import EditValue from '@/editing/EditValue.vue'
import { ago, day, exactTime } from '@/format/dates'
import { fieldWord } from '@/format/vocabulary'
import { useTray } from '@/tray/tray'
import type { Dossier } from './dossier'

type Past = Dossier['history'][number]
const props = defineProps<{ d: Dossier }>()
const tray = useTray()
const field = ref('')
const fields = computed(() => [...new Set(props.d.history.map((h) => h.field))])
const shown = computed(() => props.d.history.filter((h) => !field.value || h.field === field.value))
const proposed = ref<string>()
const { wrong, run } = useChange()
const adds = (h: Past) => h.field === 'trial' || h.field === 'source'
// isNow tells whether the entry is the field's present state.
const isNow = (h: Past) =>
  props.d.history.find((x) => x.field === h.field && x.scopeKind === h.scopeKind && x.scopeId === h.scopeId) === h
const again = (h: Past) =>
  run(async () => {
    await tray.add([
      {
        package: props.d.package.name,
        field: h.field as 'load',
        scope: {
          kind: h.scopeKind as 'everywhere',
          ...(h.scopeKind === 'everywhere' ? {} : { id: h.scopeId }),
        },
        value: h.after ?? null,
        reason: `as change ${h.change} had it, ${day(h.at)}`,
      },
    ])
    proposed.value = h.id
  })
</script>

<template>
  <div id="history">
    <h2>
      History
      <select v-if="fields.length > 1" v-model="field" class="field" aria-label="Of which field">
        <option value="">all fields</option>
        <option v-for="f in fields" :key="f" :value="f">{{ fieldWord[f] ?? f }}</option>
      </select>
    </h2>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <ul>
      <li v-for="h in shown.slice(0, 60)" :key="h.id">
        <span class="second" :title="exactTime(h.at)">{{ ago(h.at) }}</span>
        <span
          >{{ fieldWord[h.field] ?? h.field }}{{ h.scopeName === 'everywhere' ? '' : ` for ${h.scopeName}` }}:
          <template v-if="!adds(h) && h.before != null"><EditValue :field="h.field" :value="h.before" /> → </template>
          <EditValue :field="h.field" :value="h.after" />
          <span v-if="h.reason" class="second" dir="auto"> “{{ h.reason }}”</span>
          <span class="second said"
            >{{ h.author }}, accepted by {{ h.acceptedBy }}{{ h.alone ? ', alone here' : '' }}, change
            {{ h.change }}</span
          >
          <template v-if="!adds(h) && !isNow(h)">
            <span v-if="proposed === h.id" class="second said">in your tray</span>
            <button v-else class="link second said" @click="again(h)">propose again</button>
          </template></span
        >
      </li>
    </ul>
    <p v-if="!d.history.length" class="second">Nothing has been said about it yet.</p>
  </div>
</template>

<style scoped>
h2 {
  margin-bottom: 6px;
  display: flex;
  gap: 10px;
  align-items: baseline;
}
select {
  font-weight: 400;
}
.said {
  margin-left: 6px;
}
li {
  display: grid;
  grid-template-columns: 100px 1fr;
  gap: 8px;
  padding: 2px 0;
}
</style>
