<script setup lang="ts">
// What can be done with all marked rows at once: each makes one edit for every
// one of them, with one reason.
import { useEvidenceDialogs, type Subject } from '@/editing/dialogs'
import { count } from '@/format/numbers'
import KeyCap from '@/ui/KeyCap.vue'

defineProps<{ marked: Subject[] }>()
const emit = defineEmits<{ clear: [] }>()
const dialogs = useEvidenceDialogs()
</script>

<template>
  <div class="marked" role="region" aria-label="Marked packages">
    <b>{{ count(marked.length, 'package') }} marked</b>
    <button class="act" @click="dialogs.load(marked)">Propose a load <KeyCap of="1" />–<KeyCap of="4" /></button>
    <button class="act" @click="dialogs.trial(...marked)">Add a trial of each <KeyCap of="t" /></button>
    <button class="link" @click="dialogs.show('functions', marked)">functions</button>
    <button class="link" @click="dialogs.show('origin', marked)">who put them there</button>
    <button class="link" @click="dialogs.show('countries', marked)">countries</button>
    <button class="link second" @click="emit('clear')">unmark <KeyCap of="Esc" /></button>
  </div>
</template>

<style scoped>
.marked {
  flex: none;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 6px 14px;
  background: var(--picked);
  border-bottom: 1px solid var(--hair);
  white-space: nowrap;
  overflow-x: auto;
}
.marked .link:last-child {
  margin-left: auto;
}
</style>
