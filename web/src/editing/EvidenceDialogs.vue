<script setup lang="ts">
import { computed, defineAsyncComponent, type Component } from 'vue'
import { useFocusBack } from '@/composables/layers'
import SheetOpening from '@/ui/SheetOpening.vue'
import { useEvidenceDialogs } from './dialogs'

// Fields are much script, which the first view of a place can do without.
const later = <T extends Component>(loader: () => Promise<{ default: T }>) =>
  defineAsyncComponent({ loader, loadingComponent: SheetOpening, errorComponent: SheetOpening, delay: 0 })
const sheets = {
  trial: later(() => import('./TrialDialog.vue')),
  load: later(() => import('./LoadDialog.vue')),
  source: later(() => import('./SourceDialog.vue')),
}
const FieldDialog = later(() => import('./FieldDialog.vue'))

const dialogs = useEvidenceDialogs()
useFocusBack(() => dialogs.open !== '')
const sheet = computed(() => (dialogs.open in sheets ? sheets[dialogs.open as keyof typeof sheets] : undefined))
const key = computed(() => dialogs.subjects.map((s) => s.name).join())
</script>

<template>
  <component
    :is="sheet"
    v-if="sheet"
    :key="key"
    :subjects="dialogs.subjects"
    :title="dialogs.title"
    :proposed="dialogs.proposed"
    @close="dialogs.close()"
  />
  <FieldDialog
    v-else-if="dialogs.open === 'origin' || dialogs.open === 'functions' || dialogs.open === 'countries'"
    :key="dialogs.open"
    :subjects="dialogs.subjects"
    :title="dialogs.title"
    :field="dialogs.open"
    :value="dialogs.open === 'origin' ? '' : []"
    @close="dialogs.close()"
  />
</template>
