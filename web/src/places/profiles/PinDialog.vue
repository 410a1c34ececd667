<script setup lang="ts">
import { ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import PackageName from '@/marks/PackageName.vue'
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
    <template #about><PackageName :name="row.package" /></template>
    <p>
      {{ row.label }} <span class="second">{{ sentence(row.why) }}</span>
    </p>
    <v-textarea v-model="reason" v-focus label="Why, for whoever reads the release" maxlength="500" />
  </SheetDialog>
</template>
