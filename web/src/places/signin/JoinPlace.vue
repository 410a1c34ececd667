<script setup lang="ts">
// Joins by an invitation. Its secret stands behind the # of the address, where
// no server's log sees it.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import BarePage from './BarePage.vue'

const client = useQueryClient()
const token = location.hash.slice(1)
const invitation = useQuery({
  queryKey: ['invitation'],
  retry: false,
  queryFn: () => ask(api.POST('/api/v1/join/invitation', { body: { token } })),
})
const login = ref('')
const name = ref('')
const password = ref('')
const { busy, wrong, run } = useChange()
const join = () =>
  run(async () => {
    await ask(
      api.POST('/api/v1/join', { body: { token, login: login.value, name: name.value, password: password.value } }),
    )
    client.clear()
    location.assign('/')
  })
</script>

<template>
  <BarePage
    :nothing="invitation.isError.value ? 'No invitation' : ''"
    :why="invitation.isError.value ? words(invitation.error.value) : ''"
  >
    <form v-if="invitation.data.value" @submit.prevent="join">
      <h1>Join Roster</h1>
      <p class="second">{{ invitation.data.value.by }} invites you as {{ invitation.data.value.role }}.</p>
      <v-text-field v-model="name" v-focus label="Your name, as others see it" autocomplete="name" maxlength="80" />
      <v-text-field v-model="login" label="Login" autocomplete="username" maxlength="80" />
      <v-text-field
        v-model="password"
        label="Password, twelve characters or more"
        type="password"
        autocomplete="new-password"
      />
      <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
      <button class="act first" :disabled="busy || !name.trim() || !login.trim() || password.length < 12">Join</button>
    </form>
  </BarePage>
</template>
