<script setup lang="ts">
// One person's record: what they sent, what became of it, on which models.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { ago, day, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { stateWord } from '@/format/vocabulary'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import AccountSheet from './AccountSheet.vue'
import PasswordLink from './PasswordLink.vue'

const route = useRoute()
const { query } = useScope()
const { may, session } = useSession()
const id = computed(() => String(route.params.id))
const person = useQuery({
  queryKey: computed(() => ['person', id.value]),
  queryFn: () => ask(api.GET('/api/v1/people/{id}', { params: { path: { id: id.value } } })),
})
const p = computed(() => person.data.value)
</script>

<template>
  <div v-if="person.isError.value" class="empty">
    <h1>Nobody</h1>
    <p class="second">{{ words(person.error.value) }}</p>
  </div>
  <section v-else-if="p" class="paper" tabindex="0" role="region" aria-label="Person">
    <h1>{{ p.name }}</h1>
    <p class="second">
      {{ p.removed ? 'has left' : p.role }} · here since <span :title="exactTime(p.since)">{{ day(p.since) }}</span>
    </p>
    <p class="sum">
      {{ count(p.changes, 'change') }} sent; {{ p.accepted }} of {{ count(p.decided, 'edit') }} accepted;
      {{ count(p.trials, 'trial') }}; {{ count(p.reviewed, 'edit') }} of others accepted.
    </p>
    <AccountSheet v-if="p.myself" />
    <PasswordLink
      v-else-if="may('keeper') && !p.removed && session.data.value?.passwords"
      :id="p.id"
      :key="p.id"
      :name="p.name"
    />
    <h2>On which models</h2>
    <table v-if="p.models.length" class="listed">
      <thead>
        <tr>
          <th>Model</th>
          <th class="n">Trials</th>
          <th class="n">Phones</th>
          <th class="n">Harmed</th>
          <th>Last</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="m in p.models" :key="m.maker + m.model">
          <td>
            <router-link class="link" :to="{ path: '/ledger', query: { maker: m.maker, model: m.model } }"
              >{{ m.makerName }} {{ m.modelName }}</router-link
            >
          </td>
          <td class="n">{{ m.trials }}</td>
          <td class="n">{{ m.phones }}</td>
          <td class="n">{{ m.harmed || '' }}</td>
          <td class="second">{{ ago(m.last) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="second">No trial of theirs was accepted yet.</p>
    <h2>Newest changes</h2>
    <p v-for="c in p.recent" :key="c.id">
      <router-link class="link" :to="{ name: 'change', params: { id: c.id }, query }">{{ c.title }}</router-link>
      <span class="second gap">
        change {{ c.number }}, {{ stateWord[c.state] }}, {{ c.accepted }} of {{ count(c.edits, 'edit') }} accepted,
        {{ ago(c.sentAt) }}</span
      >
    </p>
    <p v-if="!p.recent.length" class="second">Nothing sent yet.</p>
  </section>
</template>

<style scoped>
.sum {
  margin: 8px 0;
}
h2 {
  margin-top: 16px;
}
.listed {
  max-width: 640px;
}
.gap {
  margin: 0 6px;
}
</style>
