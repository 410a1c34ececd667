<script setup lang="ts">
// Receivers elsewhere that are told what the public feed tells.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import CopyButton from '@/ui/CopyButton.vue'

const receivers = useQuery({
  queryKey: ['webhooks'],
  queryFn: () => ask(api.GET('/api/v1/webhooks')).then((r) => r.items),
})
const { busy, wrong, said, run } = useChange()
const url = ref('')
const secret = ref('')
const add = () =>
  run(async () => {
    const made = await ask(api.POST('/api/v1/webhooks', { body: { url: url.value.trim() } }))
    secret.value = made.secret
    url.value = ''
    await receivers.refetch()
  })
const at = (id: string) => ({ params: { path: { id } } })
const end = (id: string) =>
  run(async () => {
    await ask(api.DELETE('/api/v1/webhooks/{id}', at(id)))
    if (open.value === id) open.value = ''
    await receivers.refetch()
  })
// Whose log is open; it is read anew while something is on its way.
const open = ref('')
const log = useQuery({
  queryKey: computed(() => ['deliveries', open.value]),
  enabled: computed(() => open.value !== ''),
  refetchInterval: 3000,
  queryFn: () => ask(api.GET('/api/v1/webhooks/{id}/deliveries', at(open.value))).then((r) => r.items),
})
const test = (id: string) =>
  run(async () => {
    await ask(api.POST('/api/v1/webhooks/{id}/test', at(id)))
    open.value = id
    await log.refetch()
  }, 'A test is on its way.')
</script>

<template>
  <section aria-label="Receivers">
    <h2>Told elsewhere</h2>
    <p class="second">
      Receivers that hear at once of each release, each withdrawal, and each firmware that one is not for, as the feed
      tells it. What they get is signed as Standard Webhooks has it, and tried for two days.
    </p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="said" role="status">{{ said }}</p>
    <div v-for="r in receivers.data.value ?? []" :key="r.id" class="receiver">
      <p>
        <span class="mono">{{ r.url }}</span>
        <span class="second gap"
          >by {{ r.createdBy }}, {{ ago(r.createdAt) }}{{ r.waiting ? `; ${r.waiting} not taken yet` : ''
          }}{{ r.failed ? `; ${count(r.failed, 'thing')} given up` : '' }}</span
        >
        <button class="link" :aria-label="`Try ${r.url}`" :disabled="busy" @click="test(r.id)">try it</button>
        <button class="link gap" :aria-expanded="open === r.id" @click="open = open === r.id ? '' : r.id">log</button>
        <button class="link second" :aria-label="`End ${r.url}`" :disabled="busy" @click="end(r.id)">end it</button>
      </p>
      <table v-if="open === r.id" class="listed">
        <thead>
          <tr>
            <th>What</th>
            <th>When</th>
            <th class="n">Tries</th>
            <th>What it said</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in log.data.value ?? []" :key="d.id">
            <td>{{ d.type }}</td>
            <td class="second" :title="exactTime(d.createdAt)">{{ ago(d.createdAt) }}</td>
            <td class="n">{{ d.attempts }}</td>
            <td :class="{ harm: !d.takenAt && d.attempts }">{{ d.answer || 'not yet' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <form @submit.prevent="add">
      <input
        v-model="url"
        class="field"
        type="url"
        maxlength="500"
        placeholder="https://receiver.example/roster"
        aria-label="Address of a receiver"
        required
      />
      <button class="act" :disabled="busy">Add a receiver</button>
    </form>
    <p v-if="secret" class="notice">
      Its secret, shown only now: <span class="mono gap">{{ secret }}</span>
      <CopyButton :text="secret" what="the secret" />
    </p>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 14px;
}
form {
  display: flex;
  gap: 8px;
  margin-top: 6px;
}
form input {
  flex: 1;
  max-width: 460px;
}
.receiver {
  padding: 4px 0;
}
.gap {
  margin: 0 8px;
}
.mono {
  overflow-wrap: anywhere;
}
</style>
