<script setup lang="ts">
import HarmInterval from '@/marks/HarmInterval.vue'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { ceiling, count, people } from '@/format/numbers'
import { loadWord, originWord } from '@/format/vocabulary'
import { useEvidenceDialogs } from '@/editing/dialogs'
import { useScope } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import type { LedgerRow } from './ledger'

defineProps<{ row: LedgerRow; marked: boolean }>()
defineEmits<{ mark: [] }>()
const dialogs = useEvidenceDialogs()
const { query } = useScope()
</script>

<template>
  <h1 dir="auto">{{ row.label || 'No label is known' }}</h1>
  <PackageName :name="row.name" />
  <div class="load">
    <LoadMark :load="row.load" :size="40" />
    <div>
      <b>{{ loadWord[row.load] }}</b>
      <p class="second">
        {{
          row.bySuggestion
            ? 'by suggestion, nobody has graded it'
            : row.loadScope === 'everywhere'
              ? 'everywhere'
              : `for this ${row.loadScope}`
        }}
      </p>
    </div>
  </div>
  <p v-if="!row.bySuggestion && row.suggested !== row.load" class="second">
    The evidence suggests {{ loadWord[row.suggested] }}.
  </p>
  <template v-if="row.standing !== 'untried'">
    <h2>At most {{ ceiling(row.ceiling) }} of phones harmed</h2>
    <HarmInterval :floor="row.floor" :ceiling="row.ceiling" />
    <p class="second">
      {{ count(row.phones, 'phone') }}, {{ people(row.people) }},
      {{ row.harmedPhones ? `${row.harmedPhones} harmed` : 'none harmed' }}; standing {{ row.standing }}.
    </p>
  </template>
  <template v-else>
    <h2>Nobody has tried it here</h2>
    <p class="second">A trial says what happened on a real phone when it went.</p>
  </template>
  <h2>Put there by</h2>
  <p>{{ originWord[row.origin] }}</p>
  <div class="acts">
    <router-link class="act" :to="{ name: 'dossier', params: { name: row.name }, query }">Dossier</router-link>
    <button class="act" @click="dialogs.trial(row)">Add a trial</button>
    <button class="act" @click="dialogs.load([row])">Propose a load</button>
    <button class="act" :aria-pressed="marked" @click="$emit('mark')">{{ marked ? 'Unmark' : 'Mark' }}</button>
  </div>
  <div class="keys">
    <span><KeyCap of="Enter" /> dossier</span><span><KeyCap of="x" /> mark</span><span><KeyCap of="t" /> trial</span
    ><span><KeyCap of="1" />–<KeyCap of="4" /> load</span>
  </div>
</template>

<style scoped>
.load {
  display: flex;
  gap: 14px;
  align-items: end;
  margin-top: 14px;
}
.load b {
  font-size: 15px;
  font-weight: 650;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 18px;
}
.act {
  text-decoration: none;
}
</style>
