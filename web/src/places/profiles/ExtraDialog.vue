<script setup lang="ts">
// A step that no package's entry asks for: something to put in, a setting,
// holding updates back, a wait.
import { computed, ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import FileDrop from '@/ui/FileDrop.vue'
import { useChange } from '@/composables/change'
import { readFiles, type Given } from '@/composables/packageFiles'
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
// The file that it comes from is pinned, and stays with whoever has it.
const file = ref<Given>()
const exactly = ref(false)
const from = ref('')
const grants = ref('')
const pause = ref(0)
const said = ref<string[]>([])
const { busy, wrong, run } = useChange()
const choose = (files: File[]) =>
  run(async () => {
    const read = await readFiles(files)
    said.value = read.wrong
    const [one] = read.packages
    if (!one) return
    file.value = one
    pkg.value = one.package
    label.value ||= one.label ?? ''
  })
const pin = () => ({
  signer: file.value!.signer,
  ...(exactly.value ? { sha256: file.value!.files.find((f) => !f.split)!.sha256 } : { least: file.value!.versionCode }),
  ...(from.value.trim() ? { from: from.value.trim() } : {}),
})
const extra = computed<Extra>(() => {
  const base = { kind: kind.value, why: why.value.trim() || undefined }
  if (kind.value === 'put-in')
    return {
      ...base,
      label: label.value.trim() || undefined,
      package: pkg.value.trim() || undefined,
      role: role.value || undefined,
      ...(file.value ? { file: pin() } : {}),
      ...(grants.value.trim() ? { grants: grants.value.trim().split(/[\s,]+/) } : {}),
      ...(pause.value ? { seconds: pause.value } : {}),
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
      <FileDrop
        multiple
        accept=".apk"
        :busy="busy"
        :label="
          file
            ? `Version ${file.versionName || file.versionCode}, another file?`
            : 'From a file: choose it, to pin who signed it'
        "
        note="nothing of it is stored here; whoever runs the release gives it to their bench"
        @files="choose"
      />
      <p v-for="w in [wrong, ...said].filter(Boolean)" :key="w" class="harm" role="alert">{{ w }}</p>
      <template v-if="file">
        <p class="second">
          Signed by <span class="mono">{{ file.signer.slice(0, 16) }}…</span>
          {{ exactly ? 'This very file.' : `This version or a newer one by the same hand.` }}
          <label><input v-model="exactly" type="checkbox" /> no other file will do</label>
        </p>
        <v-text-field v-model="from" label="Where to get it, in words" maxlength="300" />
        <v-text-field v-model="grants" class="mono" label="Permissions that it is given, if any" maxlength="2000" />
        <v-text-field
          v-model.number="pause"
          label="Seconds to wait before anything goes"
          type="number"
          min="0"
          max="600"
        />
      </template>
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
