<script setup lang="ts">
// What is asked of somebody whose password fitted: their passkey, or to make one
// where their role needs it.
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { signed } from '@/composables/passkeys'

defineProps<{ kind: Schemas['Session']['second'] }>()
const emit = defineEmits<{ in: [session: Schemas['Session']] }>()
const { busy, wrong, run } = useChange()
const go = () =>
  run(async () => {
    const challenge = await ask(api.POST('/api/v1/session/second/challenge'))
    emit('in', await ask(api.POST('/api/v1/session/second', { body: await signed(challenge) })))
  })
</script>

<template>
  <div class="second-step">
    <h2>{{ kind === 'make-passkey' ? 'Your role needs a passkey' : 'And your passkey' }}</h2>
    <p class="second">
      {{
        kind === 'make-passkey'
          ? 'A second thing beside your password: a fingerprint, a phone or a key on USB. Your device makes it now, and asks for it from the next time on.'
          : 'Your device asks for what you chose: a fingerprint, a phone or a key on USB.'
      }}
    </p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <button v-focus type="button" class="act first" :disabled="busy" @click="go">
      {{ kind === 'make-passkey' ? 'Make a passkey' : 'Show it' }}
    </button>
    <p v-if="kind === 'passkey'" class="second">Lost it? A keeper takes it away, and you make another.</p>
  </div>
</template>

<style scoped>
.second-step {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
</style>
