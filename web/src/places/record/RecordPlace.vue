<script setup lang="ts">
// Who did what, for the keeper: filtered, exported, checked.
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { exactTime } from '@/format/dates'
import { detailWords } from './detail'
import { useSession } from '@/composables/session'
import CopyButton from '@/ui/CopyButton.vue'

const { may } = useSession()
const route = useRoute()
const router = useRouter()
// What the list is narrowed to stands in the address.
const inAddress = (name: string) =>
  computed({
    get: () => (typeof route.query[name] === 'string' ? route.query[name] : ''),
    set: (value) => void router.replace({ query: { ...route.query, [name]: value || undefined } }),
  })
const person = inAddress('person')
const action = inAddress('action')
const since = inAddress('since')
const until = inAddress('until')
const filter = computed(() => ({
  ...(person.value && { person: person.value }),
  ...(action.value && { action: action.value }),
  ...(since.value && { since: since.value }),
  ...(until.value && { until: until.value }),
}))
const people = useQuery({ queryKey: ['people'], queryFn: () => ask(api.GET('/api/v1/people')).then((r) => r.items) })
const page = 100
const record = useInfiniteQuery({
  queryKey: computed(() => ['record', filter.value]),
  enabled: () => may('keeper'),
  initialPageParam: 0,
  queryFn: ({ pageParam }) =>
    ask(
      api.GET('/api/v1/audit', {
        params: { query: { ...filter.value, limit: page, ...(pageParam && { before: pageParam }) } },
      }),
    ).then((r) => r.items),
  getNextPageParam: (last) => (last.length === page ? last[last.length - 1]!.seq : undefined),
})
const entries = computed(() => record.data.value?.pages.flat() ?? [])
const proof = useQuery({
  queryKey: ['record-proof'],
  enabled: () => may('keeper'),
  queryFn: () => ask(api.GET('/api/v1/audit/proof')),
})
const actions = ['change', 'person', 'token', 'rules', 'profile', 'release', 'bench', 'catalogue']
const exportPath = (form: string) => `/api/v1/audit/export?${new URLSearchParams({ ...filter.value, form }).toString()}`
</script>

<template>
  <section v-if="may('keeper')" class="paper" tabindex="0" role="region" aria-label="Record">
    <h1>Who did what</h1>
    <form class="line" @submit.prevent>
      <select v-model="person" class="field" aria-label="By whom">
        <option value="">everybody</option>
        <option v-for="p in people.data.value ?? []" :key="p.id" :value="p.id">{{ p.name }}</option>
      </select>
      <select v-model="action" class="field" aria-label="What">
        <option value="">everything</option>
        <option v-for="a in actions" :key="a">{{ a }}</option>
      </select>
      <label>from <input v-model="since" class="field" type="date" /></label>
      <label>to <input v-model="until" class="field" type="date" /></label>
      <a class="link" :href="exportPath('csv')" download>as CSV</a>
      <a class="link" :href="exportPath('jsonl')" download>as JSON</a>
    </form>
    <p v-if="record.isError.value" class="harm" role="alert">{{ words(record.error.value) }}</p>
    <table class="listed">
      <thead>
        <tr>
          <th>No.</th>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>To what</th>
          <th>With</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="e in entries" :key="e.seq">
          <td class="second">{{ e.seq }}</td>
          <td class="when" :title="e.at">{{ exactTime(e.at) }}</td>
          <td class="when">
            <router-link v-if="e.personId" class="link" :to="{ name: 'person', params: { id: e.personId } }">{{
              e.name
            }}</router-link><template v-else>{{ e.name }}</template>
          </td>
          <td class="when">{{ e.action }}</td>
          <td :title="e.subject" dir="auto">
            <router-link v-if="e.about?.to" class="link" :to="e.about.to">{{ e.about.name }}</router-link>
            <template v-else-if="e.about?.name">{{ e.about.name }}</template>
            <span v-else class="mono second">{{ e.subject.slice(-12) }}</span>
          </td>
          <td class="second">{{ detailWords(e.detail) }}</td>
        </tr>
      </tbody>
    </table>
    <button v-if="record.hasNextPage.value" class="act quiet" @click="record.fetchNextPage()">Older entries</button>
    <p v-if="!entries.length && !record.isPending.value" class="second">Nothing fits.</p>
    <Teleport defer to="#margin">
      <h1>Does it hold together?</h1>
      <template v-if="proof.data.value">
        <p v-if="proof.data.value.wrong" class="harm">{{ proof.data.value.wrong }}</p>
        <p v-else>Yes: {{ proof.data.value.entries }} entries, none altered, none missing.</p>
        <h2>Hash of the newest</h2>
        <p class="mono hash">{{ proof.data.value.head }}</p>
        <CopyButton :text="proof.data.value.head" what="the hash of the newest entry" />
        <p class="second">
          Note it elsewhere. <span class="mono">roster audit --head</span> tells later whether anything was cut off.
        </p>
      </template>
      <p class="second">
        Entries can be added and never changed. They name people by an id, so that one who left is a pseudonym here,
        too.
      </p>
    </Teleport>
  </section>
  <div v-else class="empty">
    <h1>The record</h1>
    <p class="second">Only the keeper reads who did what.</p>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  margin: 8px 0;
}
.when {
  white-space: nowrap;
}
.hash {
  overflow-wrap: anywhere;
}
</style>
