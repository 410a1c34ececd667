<script setup lang="ts">
// Sets a new password by a keeper's link. Its secret stands behind the # of the
// address, where no server's log sees it.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import BarePage from './BarePage.vue'

const client = useQueryClient()
const token = location.hash.slice(1)
const whose = useQuery({
  queryKey: ['password-link'],
  retry: false,
  queryFn: () => ask(api.POST('/api/v1/password-link', { body: { token } })),
})
const password = ref('')
const { busy, wrong, run } = useChange()
const set = () =>
  run(async () => {
    await ask(api.POST('/api/v1/password-link/use', { body: { token, password: password.value } }))
    client.clear()
    location.assign('/')
  })
</script>

<template>
  <BarePage
    :nothing="whose.isError.value ? 'No such link' : ''"
    :why="whose.isError.value ? words(whose.error.value) : ''"
  >
    <form v-if="whose.data.value" @submit.prevent="set">
      <h1>A new password</h1>
      <p class="second">
        For {{ whose.data.value.name }}, who signs in as <b>{{ whose.data.value.login }}</b>. You are signed out
        everywhere else.
      </p>
      <input type="text" name="username" autocomplete="username" :value="whose.data.value.login" hidden />
      <v-text-field
        v-model="password"
        v-focus
        label="Password, twelve characters or more"
        type="password"
        autocomplete="new-password"
      />
      <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
      <button class="act first" :disabled="busy || password.length < 12">Set it and sign in</button>
    </form>
  </BarePage>
</template>
