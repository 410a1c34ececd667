<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import { useEvidenceDialogs } from './dialogs'

// Fields are much script, which the first view of a place can do without.
const sheets = {
  trial: defineAsyncComponent(() => import('./TrialDialog.vue')),
  load: defineAsyncComponent(() => import('./LoadDialog.vue')),
  source: defineAsyncComponent(() => import('./SourceDialog.vue')),
}
const FieldDialog = defineAsyncComponent(() => import('./FieldDialog.vue'))

const dialogs = useEvidenceDialogs()
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
