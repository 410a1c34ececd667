<script setup lang="ts">
// What can take over when a package goes: a kind of app, or a package.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import type { Subject } from './dialogs'
import { slugOf } from './written'
import TraySheet from '@/tray/TraySheet.vue'

type Substitute = Schemas['Substitute']
const props = defineProps<{ subject: Subject; value: Substitute[] }>()
const emit = defineEmits<{ close: [] }>()
const empty = () => ({ name: '', package: '', for: '', first: '' })
const rows = ref([...props.value.map((s) => ({ ...empty(), ...s })), empty()])
const reason = ref('')
const ready = computed(() => reason.value.trim() !== '')

const edit = () => ({
  field: 'substitutes' as const,
  scope: { kind: 'everywhere' as const },
  value: rows.value
    .filter((r) => r.name.trim())
    .map((r) => ({
      name: r.name.trim(),
      package: r.package.trim() || undefined,
      for: slugOf(r.for) || undefined,
      first: r.first.trim() || undefined,
    })),
  reason: reason.value.trim(),
})
function more(i: number) {
  if (i === rows.value.length - 1 && rows.value[i]?.name) rows.value.push(empty())
}
</script>

<template>
  <TraySheet
    :title="`In the place of ${subject.label || subject.name}`"
    :subjects="[subject]"
    :ready="ready"
    :edit="edit"
    @close="emit('close')"
  >
    <div v-for="(r, i) in rows" :key="i" class="row">
      <input
        v-model="r.name"
        class="field"
        :aria-label="`Substitute ${i + 1}: what people call it`"
        placeholder="any messages app"
        maxlength="200"
        @input="more(i)"
      />
      <input
        v-model="r.package"
        class="field mono"
        :aria-label="`Substitute ${i + 1}: its package, where it is a certain one`"
        placeholder="its package, if a certain one"
        maxlength="255"
      />
      <input
        v-model="r.for"
        class="field"
        :aria-label="`Substitute ${i + 1}: the function that it takes over`"
        placeholder="for which function"
        maxlength="40"
      />
      <input
        v-model="r.first"
        class="field wide"
        :aria-label="`Substitute ${i + 1}: what must be in place first`"
        placeholder="what must be in place first"
        maxlength="200"
      />
    </div>
    <v-textarea v-model="reason" label="How you know" maxlength="2000" rows="2" />
  </TraySheet>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 4px;
}
.wide {
  grid-column: 1 / -1;
}
</style>
