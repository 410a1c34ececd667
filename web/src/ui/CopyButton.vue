<script setup lang="ts">
// Copies a text that somebody needs elsewhere, and says so. Where the browser
// lets no page write to the clipboard, it says that.
import { useClipboard } from '@vueuse/core'
import { ref } from 'vue'

const props = defineProps<{ text: string; what: string }>()
const { copy, copied } = useClipboard({ legacy: true, copiedDuring: 2_000 })
const failed = ref(false)
async function put() {
  failed.value = false
  await copy(props.text).catch(() => (failed.value = true))
}
</script>

<template>
  <button type="button" class="link second copy" :aria-label="`Copy ${what}`" @click.stop="put">
    <span role="status">{{ failed ? 'this browser does not copy' : copied ? 'copied' : 'copy' }}</span>
  </button>
</template>

<style scoped>
.copy {
  white-space: nowrap;
}
</style>
