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
      <v-text-field
        v-model="r.name"
        :label="`${i ? `${i + 1}: ` : ''}What people call it`"
        maxlength="200"
        placeholder="any messages app"
        @update:model-value="more(i)"
      />
      <v-text-field
        v-model="r.package"
        class="mono"
        :label="`${i ? `${i + 1}: ` : ''}Its package, if a certain one`"
        maxlength="255"
      />
      <v-text-field v-model="r.for" :label="`${i ? `${i + 1}: ` : ''}For which function`" maxlength="40" />
      <v-text-field
        v-model="r.first"
        class="wide"
        :label="`${i ? `${i + 1}: ` : ''}What must be in place first`"
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
