<script setup lang="ts">
import { useEvidenceDialogs } from './dialogs'
import LoadDialog from './LoadDialog.vue'
import TrialDialog from './TrialDialog.vue'

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
