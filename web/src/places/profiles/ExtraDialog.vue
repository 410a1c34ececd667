<script setup lang="ts">
// A step that no package's entry asks for: something to put in, a setting,
// holding updates back, a wait.
import { computed, ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import type { Extra } from './profile'

const emit = defineEmits<{ close: []; add: [extra: Extra] }>()
const kinds = [
  { value: 'put-in', title: 'Put something in' },
  { value: 'setting', title: 'Change a setting' },
  { value: 'hold-updates', title: 'Hold system updates back' },
  { value: 'wait', title: 'Wait after the removal' },
] as const
const roles = [
  { value: '', title: 'no job' },
  { value: 'HOME', title: 'home screen' },
  { value: 'KEYBOARD', title: 'keyboard' },
  { value: 'DIALER', title: 'dialler' },
  { value: 'SMS', title: 'messages' },
  { value: 'BROWSER', title: 'browser' },
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
    <v-select v-model="kind" v-focus label="Kind of step" :items="kinds" />
    <template v-if="kind === 'put-in'">
      <v-text-field v-model="label" label="What people call it" maxlength="200" />
      <v-text-field v-model="pkg" class="mono" label="Its package" maxlength="255" />
      <v-select v-model="role" label="The job that it takes over" :items="roles" />
    </template>
    <template v-else-if="kind === 'setting'">
      <v-select v-model="namespace" label="Namespace" :items="['global', 'secure', 'system']" />
      <v-text-field v-model="key" class="mono" label="Key" maxlength="100" />
      <v-text-field v-model="value" class="mono" label="Value" maxlength="200" />
    </template>
    <v-text-field
      v-else-if="kind === 'wait'"
      v-model.number="seconds"
      label="Seconds"
      type="number"
      min="1"
      max="600"
    />
    <v-text-field v-model="why" label="Why, in one line" maxlength="300" />
    <template #note>{{ kind === 'setting' ? 'The value before is kept, and put back.' : '' }}</template>
  </SheetDialog>
</template>
