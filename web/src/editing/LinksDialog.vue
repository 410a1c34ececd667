<script setup lang="ts">
// What a package rests on though no phone tells: each with what shows it.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import type { Subject } from './dialogs'
import TraySheet from '@/tray/TraySheet.vue'

type StatedLink = Schemas['StatedLink']
const props = defineProps<{ subject: Subject; value: StatedLink[] }>()
const emit = defineEmits<{ close: [] }>()
const empty = (): StatedLink => ({ on: '', strength: 'hard', why: '' })
const rows = ref([...props.value.map((s) => ({ ...s })), empty()])
const reason = ref('')
const filled = computed(() => rows.value.filter((r) => r.on.trim() || r.why.trim()))
const ready = computed(
  () => reason.value.trim() !== '' && filled.value.every((r) => r.on.trim() !== '' && r.why.trim() !== ''),
)
const edit = () => ({
  field: 'links' as const,
  scope: { kind: 'everywhere' as const },
  value: filled.value.map((r) => ({ on: r.on.trim(), strength: r.strength, why: r.why.trim() })),
  reason: reason.value.trim(),
})
function more(i: number) {
  if (i === rows.value.length - 1 && rows.value[i]?.on) rows.value.push(empty())
}
</script>

<template>
  <TraySheet
    :title="`What ${subject.label || subject.name} rests on`"
    :subjects="[subject]"
    :ready="ready"
    :edit="edit"
    @close="emit('close')"
  >
    <p class="second">Libraries, permissions and shared users are read from captures. State what no phone tells.</p>
    <div v-for="(r, i) in rows" :key="i" class="row">
      <v-text-field
        v-model="r.on"
        class="mono"
        :label="`Link ${i + 1}: the package`"
        maxlength="255"
        @update:model-value="more(i)"
      />
      <v-select
        v-model="r.strength"
        :label="`Link ${i + 1}: without it`"
        :items="[
          { value: 'hard', title: 'it does not work' },
          { value: 'soft', title: 'it works in part' },
        ]"
      />
      <v-text-field v-model="r.why" class="wide" :label="`Link ${i + 1}: what shows it`" maxlength="200" />
    </div>
    <v-textarea v-model="reason" label="How you know" maxlength="2000" rows="2" />
  </TraySheet>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 1.4fr 1fr;
  gap: 4px;
}
.wide {
  grid-column: 1 / -1;
}
</style>
