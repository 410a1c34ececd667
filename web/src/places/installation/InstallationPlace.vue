<script setup lang="ts">
// How the installation is, for its keeper: what to do, then what that rests on.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { bytes, count } from '@/format/numbers'
import SizeSheet from './SizeSheet.vue'
import WebhooksSheet from './WebhooksSheet.vue'

const query = useQuery({
  queryKey: ['installation'],
  refetchInterval: 30_000,
  queryFn: () => ask(api.GET('/api/v1/installation')),
})
const i = computed(() => query.data.value)
const seconds = (n: number) =>
  n < 1 ? 'under a second' : n < 90 ? count(Math.round(n), 'second') : count(Math.round(n / 60), 'minute')
</script>

<template>
  <section class="paper" tabindex="0" role="region" aria-label="Installation">
    <h1>Installation</h1>
    <div v-if="query.isError.value" class="notice bad" role="alert">
      {{ words(query.error.value) }} <button class="link" @click="query.refetch()">Try again</button>
    </div>
    <template v-if="i">
      <p v-if="!i.advice.length">Nothing needs to be done.</p>
      <ul v-else class="advice" aria-label="What to do">
        <li v-for="a in i.advice" :key="a.words" :class="{ urgent: a.urgent }">
          <b>{{ a.words }}</b> {{ a.next }}
        </li>
      </ul>
      <div class="parts">
        <section aria-label="Backups">
          <h2>Backups</h2>
          <dl class="values">
            <dt>last saved</dt>
            <dd v-if="i.saved" :title="exactTime(i.saved.at)">
              {{ ago(i.saved.at) }}, {{ bytes(i.saved.bytes) }},
              {{ i.saved.secret ? 'with the secret' : 'without the secret' }}
            </dd>
            <dd v-else>never</dd>
            <template v-if="i.saved">
              <dt>folder</dt>
              <dd class="mono">{{ i.saved.folder }}</dd>
            </template>
          </dl>
        </section>
        <section aria-label="This server">
          <h2>This server</h2>
          <dl class="values">
            <dt>version</dt>
            <dd class="mono">{{ i.server.version }}, {{ i.server.go }}, {{ i.server.system }}</dd>
            <dt>runs since</dt>
            <dd :title="exactTime(i.server.startedAt)">{{ ago(i.server.startedAt) }}</dd>
            <dt>memory</dt>
            <dd>{{ bytes(i.server.bytes) }}</dd>
            <dt>reached at</dt>
            <dd class="mono">{{ i.server.publicUrl }}</dd>
            <dt>people sign in</dt>
            <dd>with passwords{{ i.server.provider ? ` or ${i.server.provider}` : '' }}</dd>
            <template v-for="d in i.server.disks" :key="d.path">
              <dt>{{ d.for }}</dt>
              <dd>
                {{ bytes(d.free) }} free of {{ bytes(d.size) }}, <span class="mono">{{ d.path }}</span>
              </dd>
            </template>
          </dl>
        </section>
        <section aria-label="Database">
          <h2>Database</h2>
          <dl class="values">
            <dt>PostgreSQL</dt>
            <dd class="mono">{{ i.database.version }}</dd>
            <dt>migration</dt>
            <dd>{{ i.database.migration }}</dd>
            <dt>size</dt>
            <dd>{{ bytes(i.database.bytes) }}</dd>
            <dt>connections</dt>
            <dd>
              {{ i.server.used }} of {{ i.server.most }} of this server; {{ i.database.connections }} of
              {{ i.database.mostConnections }} of all
            </dd>
            <dt>oldest transaction</dt>
            <dd>{{ seconds(i.database.oldest) }}</dd>
            <dt>replicas</dt>
            <dd>
              {{
                i.database.replicas ? `${i.database.replicas}, the slowest ${bytes(i.database.behind)} behind` : 'none'
              }}
            </dd>
          </dl>
        </section>
        <section aria-label="Work">
          <h2>Work</h2>
          <dl class="values">
            <dt>benches</dt>
            <dd>{{ i.work.connected }} connected, {{ i.work.silent }} silent</dd>
            <dt>jobs</dt>
            <dd>{{ i.work.running }} running, {{ i.work.waiting }} waiting, {{ i.work.failed }} failed in a day</dd>
            <dt>runs that stand still</dt>
            <dd>{{ i.work.interrupted }}</dd>
            <dt>people</dt>
            <dd>
              {{ i.work.people }}, {{ i.work.reviewers }} of them may review, {{ count(i.work.keepers, 'keeper') }}
            </dd>
          </dl>
        </section>
      </div>
      <WebhooksSheet />
      <SizeSheet />
      <h2>Slow statements</h2>
      <table v-if="i.slow?.length" class="listed">
        <thead>
          <tr>
            <th>Statement</th>
            <th class="n">Times</th>
            <th class="n">Mean, ms</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in i.slow" :key="s.text">
            <td class="mono statement">{{ s.text }}</td>
            <td class="n">{{ s.calls }}</td>
            <td class="n">{{ s.mean.toFixed(0) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="i.slow" class="second">None took 50 ms on average.</p>
      <p v-else class="second">
        PostgreSQL does not count them here. To have it do so,
        <span class="mono">shared_preload_libraries = 'pg_stat_statements'</span> in its settings, and in this database,
        as its administrator, <span class="mono">create extension pg_stat_statements</span>.
      </p>
    </template>
  </section>
</template>

<style scoped>
.advice {
  margin: 10px 0 16px;
}
.advice li {
  padding: 5px 10px;
  border-left: 3px solid var(--hair);
  margin-bottom: 4px;
}
.advice .urgent {
  border-left-color: var(--ring);
  background: var(--soft);
}
.parts {
  columns: 2 380px;
  column-gap: 32px;
}
.parts section {
  break-inside: avoid;
  margin-bottom: 14px;
}
.parts h2 {
  margin-top: 0;
}
h2 {
  margin-top: 14px;
}
.statement {
  font-size: 12px;
  overflow-wrap: anywhere;
}
</style>
