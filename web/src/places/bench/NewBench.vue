<script setup lang="ts">
// Linking a computer elsewhere, and ending such a link.
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import type { Bench } from './bench'
import CopyButton from '@/ui/CopyButton.vue'

defineProps<{ benches: Bench[] }>()
const open = ref(false)
const name = ref('')
const token = ref('')
const { wrong, run } = useChange()
const ending = ref<string>()
const server = window.location.origin

const add = () =>
  run(async () => {
    token.value = (await ask(api.POST('/api/v1/benches', { body: { name: name.value.trim() } }))).token
    name.value = ''
  })
async function end(id: string) {
  if (ending.value !== id) {
    ending.value = id
    return
  }
  await run(() => ask(api.DELETE('/api/v1/benches/{id}', { params: { path: { id } } })))
  ending.value = undefined
}
</script>

<template>
  <div class="new">
    <button class="link" :aria-expanded="open" @click="open = !open">Benches elsewhere</button>
    <template v-if="open">
      <p class="second">
        A computer with phones, somewhere else, can offer them here. It does nothing but what Roster defines.
      </p>
      <form @submit.prevent="add">
        <input
          v-model="name"
          class="field"
          placeholder="what it is called"
          aria-label="What the bench is called"
          maxlength="60"
        />
        <button class="act" :disabled="!name.trim()">Make a token</button>
      </form>
      <div v-if="token" class="token" role="status">
        <p><b>Shown this once.</b> On that computer:</p>
        <code class="mono">ROSTER_BENCH_TOKEN={{ token }} roster bench --server {{ server }}</code>
        <CopyButton :text="`ROSTER_BENCH_TOKEN=${token} roster bench --server ${server}`" what="the command" />
      </div>
      <ul>
        <li v-for="b in benches.filter((x) => x.elsewhere)" :key="b.id">
          <span>{{ b.name }}</span>
          <button class="link" @click="end(b.id)">{{ ending === b.id ? 'End its access for good' : 'Revoke' }}</button>
        </li>
      </ul>
      <p v-if="wrong" class="ochre" role="alert">{{ wrong }}</p>
    </template>
  </div>
</template>

<style scoped>
.new {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 10px 14px;
}
form,
li {
  display: flex;
  gap: 6px;
  justify-content: space-between;
}
input {
  flex: 1;
}
.token {
  padding: 8px;
  border: 1px solid var(--ring);
  background: var(--picked);
}
code {
  display: block;
  overflow-wrap: anywhere;
  user-select: all;
}
b {
  font-weight: 650;
}
</style>
