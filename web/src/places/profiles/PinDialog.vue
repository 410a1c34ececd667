<script setup lang="ts">
import { computed, ref } from 'vue'
import SheetDialog from '@/ui/SheetDialog.vue'
import NamedPackage from '@/marks/NamedPackage.vue'
import type { Row } from './profile'
import { sentence } from '@/format/numbers'
import { methodWord } from '@/format/vocabulary'
import { methods, type Pin } from './profile'

const props = defineProps<{ row: Row }>()
const emit = defineEmits<{ close: []; pin: [pin: Pin] }>()
const reason = ref('')
// How it is to be, by its method, or 'stays': at first the other side of the line.
const how = ref<string>(props.row.goes ? 'stays' : '')
const goes = computed(() => how.value !== 'stays')
const others = computed(() => methods.filter((m) => !props.row.goes || m !== props.row.method))
const made = (): Pin => ({
  package: props.row.package,
  goes: goes.value,
  reason: reason.value.trim(),
  ...(goes.value && how.value ? { method: how.value as Pin['method'] } : {}),
})
</script>

<template>
  <SheetDialog
    :title="!goes ? 'Keep it, below the line' : row.goes ? 'Another method for it' : 'Take it, above the line'"
    :action="!goes ? 'Keep it' : row.goes ? 'So it is' : 'Take it'"
    :ready="reason.trim() !== ''"
    @close="emit('close')"
    @act="emit('pin', made())"
  >
    <template #about><NamedPackage :name="row.package" :label="row.label" /></template>
    <p class="second">{{ sentence(row.why) }}</p>
    <label class="how second"
      >How
      <select v-model="how" class="field" aria-label="How it goes">
        <option v-if="row.goes" value="stays">it stays</option>
        <option v-else value="">{{ methodWord[row.method] }}, as the rules say</option>
        <option v-for="m in others" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <p v-if="how === 'quieten'" class="second">
      It stays on the phone, and neither notifies nor works in the background. What it might do before is put back
      exactly.
    </p>
    <p v-if="how === 'remove-from-image'" class="second">
      Only on phones with root, and only what is Loose by trials of this very method, with nothing that rests on it; of
      others the release removes it for the user. What does not start without it undoes that by itself.
    </p>
    <v-textarea v-model="reason" v-focus label="Why, for whoever reads the release" maxlength="500" />
  </SheetDialog>
</template>

<style scoped>
.how {
  display: flex;
  gap: 10px;
  align-items: baseline;
  margin: 6px 0 10px;
}
</style>
