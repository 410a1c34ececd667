<script setup lang="ts">
// A small sheet over the page: what it is about, fields, and one action.
defineProps<{ title: string; action: string; busy?: boolean; ready?: boolean; wrong?: string }>()
const emit = defineEmits<{ close: []; act: [] }>()
</script>

<template>
  <v-dialog :model-value="true" width="520" aria-labelledby="sheet-dialog-title" @update:model-value="emit('close')">
    <form class="panel" @submit.prevent="emit('act')" @keydown.ctrl.enter.prevent="ready && emit('act')">
      <div class="top">
        <h1 id="sheet-dialog-title">{{ title }}</h1>
        <slot name="about" />
      </div>
      <div class="fields"><slot /></div>
      <p v-if="wrong" class="harm wrong" role="alert">{{ wrong }}</p>
      <div class="bottom">
        <span class="second"><slot name="note" /></span>
        <button type="button" class="act quiet" @click="emit('close')">Cancel</button>
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
  max-height: 90vh;
  overflow: auto;
  font-size: 13px;
}
.top {
  padding: 16px 20px 10px;
  border-bottom: 1px solid var(--hair);
}
.fields {
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
