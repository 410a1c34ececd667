<script setup lang="ts">
// A step that no package's entry asks for: something to put in, a setting,
// holding updates back, a wait.
import { computed, ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import type { Extra } from './profile'

const emit = defineEmits<{ close: []; add: [extra: Extra] }>()
const kinds = [
  { kind: 'put-in', name: 'Put something in' },
  { kind: 'setting', name: 'Change a setting' },
  { kind: 'hold-updates', name: 'Hold system updates back' },
  { kind: 'wait', name: 'Wait after the removal' },
] as const
const roles = [
  { role: '', name: 'no job' },
  { role: 'HOME', name: 'home screen' },
  { role: 'KEYBOARD', name: 'keyboard' },
  { role: 'DIALER', name: 'dialler' },
  { role: 'SMS', name: 'messages' },
  { role: 'BROWSER', name: 'browser' },
]
const kind = ref<Extra['kind']>('put-in')
const label = ref('')
const pkg = ref('')
const role = ref('')
const namespace = ref<'global' | 'secure' | 'system'>('global')
const key = ref('window_animation_scale')
const value = ref('0.5')
const seconds = ref(30)
const why = ref('')
const extra = computed<Extra>(() => {
  const base = { kind: kind.value, why: why.value.trim() || undefined }
  if (kind.value === 'put-in')
    return {
      ...base,
      label: label.value.trim() || undefined,
      package: pkg.value.trim() || undefined,
      role: role.value || undefined,
    }
  if (kind.value === 'setting')
    return { ...base, namespace: namespace.value, key: key.value.trim(), value: value.value.trim() }
  return kind.value === 'wait' ? { ...base, seconds: seconds.value } : base
})
const ready = computed(() => {
  if (kind.value === 'put-in') return role.value ? pkg.value.trim() !== '' : !!(label.value.trim() || pkg.value.trim())
  if (kind.value === 'setting') return key.value.trim() !== '' && value.value.trim() !== ''
  return true
})
</script>

<template>
  <SheetDialog title="Another step" action="Add it" :ready="ready" @close="emit('close')" @act="emit('add', extra)">
    <label class="line"
      >What
      <select v-model="kind" v-focus class="field" aria-label="Kind of step">
        <option v-for="k in kinds" :key="k.kind" :value="k.kind">{{ k.name }}</option>
      </select></label
    >
    <template v-if="kind === 'put-in'">
      <v-text-field v-model="label" label="What people call it" maxlength="200" />
      <v-text-field v-model="pkg" class="mono" label="Its package" maxlength="255" />
      <label class="line"
        >It takes over
        <select v-model="role" class="field" aria-label="The job that it takes over">
          <option v-for="r in roles" :key="r.role" :value="r.role">{{ r.name }}</option>
        </select></label
      >
    </template>
    <template v-else-if="kind === 'setting'">
      <label class="line"
        >In
        <select v-model="namespace" class="field" aria-label="Namespace">
          <option>global</option>
          <option>secure</option>
          <option>system</option>
        </select></label
      >
      <v-text-field v-model="key" class="mono" label="Key" maxlength="100" />
      <v-text-field v-model="value" class="mono" label="Value" maxlength="200" />
    </template>
    <label v-else-if="kind === 'wait'" class="line"
      >Seconds <input v-model.number="seconds" class="field" type="number" min="1" max="600" aria-label="Seconds"
    /></label>
    <v-text-field v-model="why" label="Why, in one line" maxlength="300" />
    <template #note>{{ kind === 'setting' ? 'The value before is kept, and put back.' : '' }}</template>
  </SheetDialog>
</template>

<style scoped>
.line {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
</style>
