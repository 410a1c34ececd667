<script setup lang="ts">
// Runs in scope, newest first: what is going, what is to be checked.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { useScope } from '@/composables/scope'
import { stateOf, titleOf } from './run'

const { scope, query } = useScope()
const runs = useQuery({
  queryKey: computed(() => ['runs', scope.value]),
  queryFn: () =>
    ask(api.GET('/api/v1/runs', { params: { query: { ...scope.value, limit: 200 } } })).then((r) => r.items),
})
</script>

<template>
  <section aria-label="Runs">
    <header><h1>Runs</h1></header>
    <p v-if="runs.isError.value" class="notice bad" role="alert">{{ words(runs.error.value) }}</p>
    <table v-else-if="runs.data.value?.length" class="listed">
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col">What</th>
          <th scope="col">On</th>
          <th scope="col">State</th>
          <th scope="col">Checks</th>
          <th scope="col">Begun</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in runs.data.value" :key="r.id">
          <td class="n">{{ r.number }}</td>
          <td>
            <router-link :to="{ name: 'run', params: { id: r.id }, query }">{{ titleOf(r) }}</router-link>
          </td>
          <td>
            {{ r.phoneName }} <span class="second">{{ r.carrier ? r.carrier + ' ' : '' }}{{ r.version }}</span>
          </td>
          <td :class="{ ochre: ['held', 'interrupted', 'stopped'].includes(r.state) }">{{ stateOf(r) }}</td>
          <td>
            <span v-if="r.broken" class="harm">{{ r.broken }} broken </span>
            <span v-if="r.open" class="second">{{ count(r.open, 'check') }} open</span>
            <span v-else-if="!r.broken" class="second">all answered</span>
          </td>
          <td class="second" :title="exactTime(r.startedAt)">{{ ago(r.startedAt) }} by {{ r.person }}</td>
        </tr>
      </tbody>
    </table>
    <div v-else-if="runs.data.value" class="empty">
      <h1>Nothing was run here yet</h1>
      <p class="second">Choose a phone, rehearse what fits it, and run it.</p>
    </div>
  </section>
</template>

<style scoped>
header {
  padding: 12px 18px 10px;
}
.listed {
  margin: 0;
}
.listed th:first-child,
.listed td:first-child {
  padding-left: 18px;
}
.listed td {
  padding-block: 6px;
}
@media (max-width: 720px) {
  .listed th:nth-child(n + 5),
  .listed td:nth-child(n + 5) {
    display: none;
  }
}
</style>
