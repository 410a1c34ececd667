<script setup lang="ts">
// Who works here, with what became of what they sent; the keeper invites,
// gives roles and removes.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { count, share as percents } from '@/format/numbers'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import { mayDo, roles, turnedRole, type Role } from '@/format/roles'
import CopyButton from '@/ui/CopyButton.vue'

const { query } = useScope()
const { person, may } = useSession()
const people = useQuery({ queryKey: ['people'], queryFn: () => ask(api.GET('/api/v1/people')).then((r) => r.items) })
const invitations = useQuery({
  queryKey: ['invitations'],
  enabled: () => may('keeper'),
  queryFn: () => ask(api.GET('/api/v1/invitations')).then((r) => r.items),
})
const { wrong, said, run } = useChange('people')
const link = ref('')
const role = ref<Role>('technician')
const note = ref('')
const sure = ref('')

const invite = () =>
  run(async () => {
    const made = await ask(api.POST('/api/v1/invitations', { body: { role: role.value, note: note.value.trim() } }))
    link.value = location.origin + made.path
    note.value = ''
  })
const uninvite = (id: string) =>
  run(async () => ask(api.DELETE('/api/v1/invitations/{id}', { params: { path: { id } } })))
// Another role is asked about before it holds.
const turning = ref<{ id: string; name: string; from: Role; to: Role }>()
const setRole = () =>
  run(async () => {
    const { id, to } = turning.value!
    await ask(api.PUT('/api/v1/people/{id}/role', { params: { path: { id } }, body: { role: to } }))
    turning.value = undefined
  })
const can = computed(() => (turning.value ? turnedRole(turning.value.from, turning.value.to) : undefined))
const remove = (id: string) =>
  run(async () => {
    await ask(api.DELETE('/api/v1/people/{id}', { params: { path: { id } } }))
    sure.value = ''
  }, 'Gone. What they did stays, under a pseudonym.')
const share = (p: { decided: number; accepted: number }) => (p.decided ? percents(p.accepted / p.decided) : '')
</script>

<template>
  <section class="paper" tabindex="0" role="region" aria-label="People">
    <h1>People</h1>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="said" role="status">{{ said }}</p>
    <table class="listed">
      <thead>
        <tr>
          <th>Name</th>
          <th>Role</th>
          <th class="n">Changes</th>
          <th class="n">Edits accepted</th>
          <th class="n">of those decided</th>
          <th class="n">Trials</th>
          <th class="n">Reviewed</th>
          <th>Since</th>
          <th v-if="may('keeper')"><span class="visually-hidden">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in people.data.value ?? []" :key="p.id">
          <td>
            <router-link class="link" :to="{ name: 'person', params: { id: p.id }, query }">{{ p.name }}</router-link>
            <span class="second login">{{ p.login }}</span>
          </td>
          <td>
            <select
              v-if="may('keeper')"
              class="field"
              :value="turning?.id === p.id ? turning.to : p.role"
              :aria-label="`Role of ${p.name}`"
              @change="
                turning = {
                  id: p.id,
                  name: p.name,
                  from: p.role as Role,
                  to: ($event.target as HTMLSelectElement).value as Role,
                }
              "
            >
              <option v-for="r in roles" :key="r">{{ r }}</option>
            </select>
            <template v-else>{{ p.role }}</template>
          </td>
          <td class="n">{{ p.changes || '' }}</td>
          <td class="n">{{ p.accepted || '' }}</td>
          <td class="n second">{{ share(p) }}</td>
          <td class="n">{{ p.trials || '' }}</td>
          <td class="n">{{ p.reviewed || '' }}</td>
          <td class="second" :title="exactTime(p.since)">{{ ago(p.since) }}</td>
          <td v-if="may('keeper')" class="n">
            <template v-if="p.id !== person?.id">
              <button v-if="sure !== p.id" class="link second" :aria-label="`Remove ${p.name}`" @click="sure = p.id">
                remove
              </button>
              <span v-else>
                <button class="link harm" @click="remove(p.id)">Remove {{ p.name }}</button>
                <button class="link second" @click="sure = ''">keep</button>
              </span>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="turning && can" class="notice" role="alert">
      <p>
        <b>{{ turning.name }} as {{ turning.to }}?</b>
        <template v-if="can.gains.length"> They will be able to {{ can.gains.join(', ') }}.</template>
        <template v-if="can.loses.length"> They will no longer be able to {{ can.loses.join(', ') }}.</template>
      </p>
      <button class="act first" @click="setRole">Make {{ turning.name }} {{ turning.to }}</button>
      <button class="act quiet" @click="turning = undefined">Leave it</button>
    </div>
    <template v-if="may('keeper')">
      <h2>Invite somebody</h2>
      <form class="invite" @submit.prevent="invite">
        <select v-model="role" class="field" aria-label="Role">
          <option v-for="r in roles" :key="r">{{ r }}</option>
        </select>
        <input
          v-model="note"
          class="field"
          maxlength="200"
          placeholder="for whom, as a note to yourself"
          aria-label="For whom"
        />
        <button class="act">Make a link</button>
      </form>
      <p v-if="link" class="notice">
        Hand this over; it works once, for two weeks, and is shown only now: <span class="mono">{{ link }}</span>
        <CopyButton :text="link" what="the invitation" />
      </p>
      <template v-if="invitations.data.value?.length">
        <h2>{{ count(invitations.data.value.length, 'invitation') }} not used yet</h2>
        <p v-for="i in invitations.data.value" :key="i.id">
          {{ i.role }}{{ i.note ? `, ${i.note}` : '' }},
          <span class="second">by {{ i.by }}, {{ ago(i.createdAt) }}</span>
          <button class="link second" :aria-label="`End the invitation ${i.note}`" @click="uninvite(i.id)">
            end it
          </button>
        </p>
      </template>
    </template>
  </section>
  <Teleport defer to="#margin">
    <h1>What each role may do</h1>
    <p v-for="(r, i) in roles" :key="r">
      <b>{{ r }}</b>: {{ i ? 'also ' : '' }}{{ mayDo[r].join(', ') }}
    </p>
    <p><router-link class="link" to="/rules">The rules that hold here</router-link></p>
    <p v-if="may('keeper')"><router-link class="link" to="/record">The record of who did what</router-link></p>
  </Teleport>
</template>

<style scoped>
h2 {
  margin-top: 16px;
}
.invite {
  display: flex;
  gap: 8px;
  margin: 6px 0;
}
.invite input {
  flex: 1;
  max-width: 420px;
}
.login {
  margin-left: 6px;
}
.mono {
  overflow-wrap: anywhere;
}
</style>
