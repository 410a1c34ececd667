<script setup lang="ts">
import { ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import NamedPackage from '@/marks/NamedPackage.vue'
import type { Row } from './profile'
import { sentence } from '@/format/numbers'

const props = defineProps<{ row: Row }>()
const emit = defineEmits<{ close: []; pin: [goes: boolean, reason: string] }>()
const reason = ref('')
</script>

<template>
  <SheetDialog
    :title="row.goes ? 'Keep it, below the line' : 'Take it, above the line'"
    :action="row.goes ? 'Keep it' : 'Take it'"
    :ready="reason.trim() !== ''"
    @close="emit('close')"
    @act="emit('pin', !props.row.goes, reason.trim())"
  >
    <template #about><NamedPackage :name="row.package" :label="row.label" /></template>
    <p class="second">{{ sentence(row.why) }}</p>
    <v-textarea v-model="reason" v-focus label="Why, for whoever reads the release" maxlength="500" />
  </SheetDialog>
</template>
