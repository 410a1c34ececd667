<script setup lang="ts">
import { defineAsyncComponent } from 'vue'
import { useEvidenceDialogs } from './dialogs'

// Fields are much script, which the first view of a place can do without.
const LoadDialog = defineAsyncComponent(() => import('./LoadDialog.vue'))
const TrialDialog = defineAsyncComponent(() => import('./TrialDialog.vue'))

const dialogs = useEvidenceDialogs()
</script>

<template>
  <TrialDialog
    v-if="dialogs.open === 'trial' && dialogs.subject"
    :key="dialogs.subject.name"
    :subject="dialogs.subject"
    @close="dialogs.close()"
  />
  <LoadDialog
    v-if="dialogs.open === 'load' && dialogs.subject"
    :key="dialogs.subject.name"
    :subject="dialogs.subject"
    :proposed="dialogs.proposed"
    @close="dialogs.close()"
  />
</template>
