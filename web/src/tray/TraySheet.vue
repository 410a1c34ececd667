<script setup lang="ts">
// A sheet whose fields become edits in the tray: it puts them there and closes.
import { ref } from 'vue'
import { words, type Schemas } from '@/api/client'
import { useTray } from './tray'
import type { Subject } from '@/editing/dialogs'
import SheetDialog from '@/ui/SheetDialog.vue'
import SubjectNames from '@/editing/SubjectNames.vue'

const props = defineProps<{
  title: string
  subjects: Subject[]
  ready: boolean
  // edit makes what every one of the packages gets; what it throws is shown.
  edit: () => Omit<Schemas['EditInput'], 'package'>
}>()
const emit = defineEmits<{ close: [] }>()
const tray = useTray()
const busy = ref(false)
const wrong = ref('')

async function put() {
  busy.value = true
  wrong.value = ''
  try {
    const edit = props.edit()
    await tray.add(props.subjects.map((s) => ({ package: s.name, ...edit })))
    emit('close')
  } catch (e) {
    wrong.value = words(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <SheetDialog
    :title="title"
    action="Into the tray"
    :busy="busy"
    :ready="ready"
    :wrong="wrong"
    @close="emit('close')"
    @act="put"
  >
    <template #about><SubjectNames :subjects="subjects" /></template>
    <slot />
    <template #note><slot name="note">Nothing changes until a reviewer accepts it.</slot></template>
  </SheetDialog>
</template>
