<script setup lang="ts">
// The keeper's link for somebody who forgot their password.
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { confirming } from '@/composables/passkeys'
import { useSession } from '@/composables/session'
import CopyButton from '@/ui/CopyButton.vue'

const props = defineProps<{ id: string; name: string }>()
const link = ref('')
const { session } = useSession()
const { busy, wrong, said, run } = useChange()
const forget = () =>
  run(
    () => confirming(() => ask(api.DELETE('/api/v1/people/{id}/passkeys', { params: { path: { id: props.id } } }))),
    'Gone. Where their role needs one, they make another when they sign in.',
  )
const make = () =>
  run(async () => {
    const made = await ask(api.POST('/api/v1/people/{id}/password-link', { params: { path: { id: props.id } } }))
    link.value = location.origin + made.path
  })
</script>

<template>
  <section aria-label="Ways in">
    <h2>Cannot get in?</h2>
    <p v-if="!link" class="second">
      Forgot their password? A link by which {{ name }} sets a new one; nothing changes before they do.
      <button class="act" :disabled="busy" @click="make">Make a link</button>
    </p>
    <p v-else class="notice">
      Hand this to {{ name }} alone; it works once, for two days, and is shown only now:
      <span class="mono">{{ link }}</span>
      <CopyButton :text="link" what="the link" />
    </p>
    <p v-if="session.data.value?.passkeys" class="second">
      Lost their passkey?
      <button class="act" :disabled="busy" @click="forget">Take their passkeys away</button>
    </p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="said" role="status">{{ said }}</p>
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
