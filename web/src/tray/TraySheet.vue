<script setup lang="ts">
// A sheet whose fields become edits in the tray: it puts them there and closes.
import { type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useTray } from './tray'
import type { Subject } from '@/editing/dialogs'
import SheetDialog from '@/ui/SheetDialog.vue'
import SubjectNames from '@/editing/SubjectNames.vue'

const props = defineProps<{
  title: string
  subjects: Subject[]
  ready: boolean
  // missing says what is still to be filled in.
  missing?: string
  // edit makes what every one of the packages gets; what it throws is shown.
  edit: () => Omit<Schemas['EditInput'], 'package'>
}>()
const emit = defineEmits<{ close: [] }>()
const tray = useTray()
const { busy, wrong, run } = useChange()

const put = () =>
  run(async () => {
    const edit = props.edit()
    await tray.add(props.subjects.map((s) => ({ package: s.name, ...edit })))
    emit('close')
  })
</script>

<template>
  <SheetDialog
    :title="title"
    action="Into the tray"
    :busy="busy"
    :ready="ready"
    :missing="missing"
    :wrong="wrong"
    @close="emit('close')"
    @act="put"
  >
    <template #about><SubjectNames :subjects="subjects" /></template>
    <slot />
    <template #note><slot name="note">Nothing changes until a reviewer accepts it.</slot></template>
  </SheetDialog>
</template>
