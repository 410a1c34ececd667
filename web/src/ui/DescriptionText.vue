<script setup lang="ts">
// A description being written, and how it will look: the server makes the
// HTML, free of anything that could act.
import { watchDebounced } from '@vueuse/core'
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import ProseText from './ProseText.vue'

const text = defineModel<string>({ required: true })
const html = ref('')
watchDebounced(
  text,
  async (now) => {
    html.value = now.trim()
      ? await ask(api.POST('/api/v1/prose', { body: { text: now } }))
          .then((r) => r.html)
          .catch(() => '')
      : ''
  },
  { debounce: 250, immediate: true },
)
</script>

<template>
  <v-textarea v-model="text" v-focus label="What it does, in plain words" maxlength="10000" rows="5" />
  <p class="second hint">**bold**, *slanted*, `code`, - lists and [links](https://…) are shown as such.</p>
  <div v-if="html" class="preview">
    <p class="second">How it will look</p>
    <ProseText :html="html" />
  </div>
</template>

<style scoped>
.hint {
  margin-top: -8px;
  font-size: 12px;
}
.preview {
  border-left: 2px solid var(--hair);
  padding-left: 10px;
  max-height: 160px;
  overflow: auto;
}
</style>
