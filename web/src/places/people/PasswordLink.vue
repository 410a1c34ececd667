<script setup lang="ts">
// The keeper's link for somebody who forgot their password.
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import CopyButton from '@/ui/CopyButton.vue'

const props = defineProps<{ id: string; name: string }>()
const link = ref('')
const { busy, wrong, run } = useChange()
const make = () =>
  run(async () => {
    const made = await ask(api.POST('/api/v1/people/{id}/password-link', { params: { path: { id: props.id } } }))
    link.value = location.origin + made.path
  })
</script>

<template>
  <section aria-label="Forgotten password">
    <h2>Forgotten password</h2>
    <p v-if="!link" class="second">
      A link by which {{ name }} sets a new one; nothing changes before they do.
      <button class="act" :disabled="busy" @click="make">Make a link</button>
    </p>
    <p v-else class="notice">
      Hand this to {{ name }} alone; it works once, for two days, and is shown only now:
      <span class="mono">{{ link }}</span>
      <CopyButton :text="link" what="the link" />
    </p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 16px;
}
.mono {
  overflow-wrap: anywhere;
  margin-right: 6px;
}
</style>
