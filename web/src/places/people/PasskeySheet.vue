<script setup lang="ts">
// Your passkeys: what your devices keep, by which you show that it is you.
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { confirming, signed } from '@/composables/passkeys'
import { ago } from '@/format/dates'

const passkeys = useQuery({
  queryKey: ['passkeys'],
  queryFn: () => ask(api.GET('/api/v1/passkeys')).then((r) => r.items),
})
const { busy, wrong, said, run } = useChange('access')
const name = ref('')
const add = () =>
  run(async () => {
    const challenge = await confirming(() => ask(api.POST('/api/v1/passkeys/challenge')))
    await ask(api.POST('/api/v1/passkeys', { body: await signed(challenge, name.value.trim()) }))
    name.value = ''
  }, 'Added. From now on you are asked for it when you sign in.')
// The server has base64; addresses take the form of it that they can hold.
const inAddress = (id: string) => id.replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '')
const remove = (id: string) =>
  run(() => confirming(() => ask(api.DELETE('/api/v1/passkeys/{id}', { params: { path: { id: inAddress(id) } } }))))
</script>

<template>
  <section aria-label="Passkeys">
    <h2>Passkeys</h2>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="said" role="status">{{ said }}</p>
    <p v-for="k in passkeys.data.value ?? []" :key="k.id">
      {{ k.name }}
      <span class="second gap">{{ k.usedAt ? `used ${ago(k.usedAt)}` : `since ${ago(k.createdAt)}` }}</span>
      <button class="link second" :disabled="busy" :aria-label="`Take ${k.name} away`" @click="remove(k.id)">
        take it away
      </button>
    </p>
    <form @submit.prevent="add">
      <input
        v-model="name"
        class="field"
        maxlength="80"
        placeholder="what you call the device, such as my laptop"
        aria-label="Name of the passkey"
      />
      <button class="act" :disabled="busy">Add a passkey</button>
    </form>
    <p class="second">
      A second thing beside your password: a fingerprint, a phone or a key on USB. Publishing asks for it again.
    </p>
  </section>
</template>

<style scoped>
form {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
form input {
  flex: 1;
}
.gap {
  margin: 0 6px;
}
</style>
