<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words } from '@/api/client'
import { ago, count, exactTime } from '@/evidence/words'
import { useScope } from '@/shell/scope'

const { scope, query } = useScope()
const releases = useQuery({
  queryKey: computed(() => ['releases', scope.value]),
  queryFn: () => ask(api.GET('/api/v1/releases', { params: { query: { ...scope.value } } })).then((r) => r.items),
})
const list = computed(() => releases.data.value ?? [])
</script>

<template>
  <header><h1>Releases</h1></header>
  <div v-if="releases.isError.value" class="notice bad" role="alert">{{ words(releases.error.value) }}</div>
  <ol v-else-if="list.length">
    <li v-for="r in list" :key="r.id" :class="{ old: r.state !== 'current' }">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank"
        >{{ r.makerName }} {{ r.modelName }}: {{ r.editionName }}</a
      >
      <span>no. {{ r.number }}</span>
      <span :class="{ harm: r.state === 'withdrawn' }">{{ r.state }}</span>
      <span>{{ count(r.steps, 'package') }}</span>
      <span class="second" :title="exactTime(r.publishedAt)">{{ ago(r.publishedAt) }} by {{ r.publishedBy }}</span>
      <span class="mono second" :title="r.sha256">{{ r.sha256.slice(0, 12) }}</span>
    </li>
  </ol>
  <div v-else-if="!releases.isPending.value" class="empty">
    <h1>Nothing is published here yet</h1>
    <p class="second">A release comes out of a profile: compose one and publish it.</p>
    <router-link class="act" :to="{ path: '/profiles', query }">To the profiles</router-link>
  </div>
  <Teleport defer to="#margin">
    <h1>Releases</h1>
    <p class="second">What people run on their phones. They need no sign-in: send them the page.</p>
    <p class="list"><a href="/r" target="_blank">The public list</a></p>
    <h2>Checked by anyone</h2>
    <p>Each is signed. Its page shows the line to type, and no connection is needed for it.</p>
    <h2>Undone by anyone</h2>
    <p>Every script has an undo beside it.</p>
  </Teleport>
</template>

<style scoped>
header {
  padding: 12px 18px;
  border-bottom: 1px solid var(--ink);
}
ol {
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 1fr 52px 78px 96px 210px 100px;
  gap: 12px;
  padding: 8px 18px;
  border-bottom: 1px solid var(--row);
  align-items: baseline;
}
li a {
  font-weight: 600;
}
li.old a {
  font-weight: 400;
}
.list {
  margin-top: 8px;
}
</style>
