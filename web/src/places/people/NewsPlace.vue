<script setup lang="ts">
// What you were told, newest first; having seen it makes it read.
import { useQuery } from '@tanstack/vue-query'
import { watch } from 'vue'
import { api, ask, words } from '@/api/client'
import { touch } from '@/api/stale'
import { ago, exactTime } from '@/format/dates'
import { useSession } from '@/composables/session'

const { person } = useSession()
const news = useQuery({ queryKey: ['news'], queryFn: () => ask(api.GET('/api/v1/news')), refetchOnMount: 'always' })
watch(
  () => news.data.value?.items[0]?.at,
  async (until) => {
    if (!until || !news.data.value?.unread) return
    await api.POST('/api/v1/news/read', { body: { until: new Date(Date.parse(until) + 1).toISOString() } })
    await touch('people')
  },
  { immediate: true },
)
</script>

<template>
  <section class="paper" tabindex="0" role="region" aria-label="News">
    <h1>What you were told</h1>
    <p v-if="news.isError.value" class="harm" role="alert">{{ words(news.error.value) }}</p>
    <ol>
      <li v-for="n in news.data.value?.items ?? []" :key="n.id" :class="{ fresh: !n.read }">
        <p>
          <router-link class="link" :to="n.to">{{ n.text }}</router-link>
          <span class="second when" :title="exactTime(n.at)">{{ ago(n.at) }}</span>
        </p>
        <p v-if="n.quote" class="said" dir="auto">“{{ n.quote }}”</p>
      </li>
    </ol>
    <div v-if="news.data.value && !news.data.value.items.length" class="empty">
      <h1>Nothing yet</h1>
      <p class="second">
        When somebody decides about a change of yours, answers you or asks you, or something moves that you follow, it
        stands here.
      </p>
    </div>
    <Teleport defer to="#margin">
      <h1>News</h1>
      <p class="second">
        What others decide about your changes, answer you and ask of you. Having seen it makes it read.
      </p>
      <p>
        <router-link class="link" :to="{ name: 'person', params: { id: person?.id } }"
          >The same as a feed of your own</router-link
        >
      </p>
    </Teleport>
  </section>
</template>

<style scoped>
li {
  padding: 7px 0 7px 10px;
  border-bottom: 1px solid var(--row);
}
li.fresh {
  box-shadow: inset 3px 0 var(--ring);
}
.when {
  margin-left: 6px;
}
.said {
  white-space: pre-line;
}
</style>
