<script setup lang="ts">
// A small sheet over the page: what it is about, fields, and one action. What
// somebody has written in it is not thrown away before they were asked.
import { ref } from 'vue'
import { useFocusBack } from '@/composables/layers'

const props = defineProps<{
  title: string
  action: string
  busy?: boolean
  ready?: boolean
  wrong?: string
  // missing says what is still to be filled in, where the action waits for it.
  missing?: string
}>()
const emit = defineEmits<{ close: []; act: [] }>()
useFocusBack()

const written = ref(false)
const asking = ref(false)
function write(e: Event) {
  const field = e.target as HTMLElement
  written.value ||= field.matches('textarea, input:not([type=radio], [type=checkbox])') && !field.closest('.v-select')
  asking.value = false
}
function leave() {
  if (props.busy) return
  if (written.value && !asking.value) asking.value = true
  else emit('close')
}
</script>

<template>
  <v-dialog :model-value="true" width="520" aria-labelledby="sheet-dialog-title" @update:model-value="leave">
    <form
      class="panel"
      @input="write"
      @submit.prevent="emit('act')"
      @keydown.ctrl.enter.prevent="ready && !busy && emit('act')"
    >
      <div class="top">
        <h1 id="sheet-dialog-title">{{ title }}</h1>
        <slot name="about" />
      </div>
      <div class="fields"><slot /></div>
      <p v-if="wrong" class="harm wrong" role="alert">{{ wrong }}</p>
      <div v-if="asking" class="bottom" role="alert">
        <span>What you have written here is not kept anywhere.</span>
        <button type="button" class="act quiet" @click="emit('close')">Throw it away</button>
        <button type="button" class="act first" @click="asking = false">Go on writing</button>
      </div>
      <div v-else class="bottom">
        <span class="second"
          ><template v-if="missing && !ready">{{ missing }}</template
          ><slot v-else name="note"
        /></span>
        <button type="button" class="act quiet" @click="leave">Cancel</button>
        <button type="submit" class="act first" :disabled="busy || !ready">{{ action }}</button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.panel {
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--ink);
  display: flex;
  flex-direction: column;
  max-height: 90vh;
  overflow: hidden;
  font-size: 13px;
}
.top {
  padding: 16px 20px 10px;
  border-bottom: 1px solid var(--hair);
}
.top,
.bottom {
  flex: none;
}
.fields {
  overflow: auto;
  padding: 12px 20px 14px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.wrong {
  padding: 0 20px 10px;
}
.bottom {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 10px 20px;
  border-top: 1px solid var(--hair);
  background: var(--soft);
}
.bottom span {
  flex: 1;
}
</style>
