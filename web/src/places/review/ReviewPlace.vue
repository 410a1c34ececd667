<script setup lang="ts">
import { useInfiniteQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { stateWord } from '@/format/vocabulary'
import { useCursor } from '@/composables/cursor'
import { useDrafts } from '@/composables/draft'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import KeyCap from '@/ui/KeyCap.vue'
import { queuePages, type View } from './queue'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const { person, may } = useSession()
const view = computed<View>(() =>
  route.query.show === 'mine' || route.query.show === 'all' ? route.query.show : 'sent',
)
const changes = useInfiniteQuery(computed(() => queuePages(view.value)))
const list = computed(() => changes.data.value?.pages.flatMap((page) => page.items) ?? [])
const { begun } = useDrafts()
const cursor = useCursor(list, { name: 'change', of: 'change', key: (c) => c.id })
const show = (v: View) => router.replace({ query: { ...query.value, show: v } })
const open = (id: string) => router.push({ name: 'change', params: { id }, query: query.value })

useKeys([{ keys: ['Enter'], does: 'open it', run: () => cursor.current.value && open(cursor.current.value.id) }])
const nothing: Record<View, [string, string]> = {
  sent: ['Nothing waits for review', 'When somebody sends a change, it waits here, the oldest first.'],
  mine: ['You have sent nothing yet', 'Edits collect in your tray, at the bottom. Send makes a change of them.'],
  all: ['There are no changes yet', 'When somebody sends a change, it stands here.'],
}
</script>

<template>
  <div class="listbar">
    <button
      v-for="v in ['sent', 'mine', 'all'] as const"
      :key="v"
      :aria-pressed="view === v"
      :class="{ on: view === v }"
      @click="show(v)"
    >
      {{ { sent: 'waiting', mine: 'yours', all: 'all' }[v] }}
    </button>
    <router-link v-if="may('reviewer')" class="link" :to="{ name: 'outside', query }">from outside</router-link>
    <span class="second">{{
      view === 'sent' ? 'what touches a release first, then the oldest, then the better record' : 'the newest first'
    }}</span>
  </div>
  <div v-if="changes.isError.value" class="notice bad" role="alert">{{ words(changes.error.value) }}</div>
  <div v-else-if="list.length" class="queue" v-bind="cursor.list.value" aria-label="Changes">
    <div
      v-for="c in list"
      :key="c.id"
      class="item"
      v-bind="cursor.row(c)"
      :class="{ picked: c === cursor.current.value }"
    >
      <div role="gridcell">
        <router-link :to="{ name: 'change', params: { id: c.id }, query }">
          <span class="second">{{ c.number }}</span>
          <span class="title">
            <b dir="auto">{{ c.title }}</b>
            <span class="second"
              >{{ c.authorId === person?.id ? 'you' : c.author }}, {{ c.authorAccepted }} of {{ c.authorSent }} earlier
              edits accepted{{ c.importedFrom ? ` · from ${c.importedFrom}` : ''
              }}{{ c.reverts ? ` · takes back change ${c.reverts}` : ''
              }}{{ c.round > 1 ? ` · round ${c.round}` : '' }}</span
            >
          </span>
          <span class="marks">
            <b v-if="c.askedMe" class="asked">you were asked</b>
            <span v-if="begun('decisions', c.id)" class="ochre">begun, not written</span>
            <span v-if="c.touches">touches {{ count(c.touches, 'release') }}</span>
            <span v-if="c.half" class="second">{{ count(c.half, 'edit') }} half accepted</span>
          </span>
          <span>{{ count(c.edits, 'edit') }}</span>
          <span :class="{ ochre: c.state === 'returned' }">{{
            c.state === 'sent' ? (c.authorId === person?.id ? 'waits for somebody else' : 'waits') : stateWord[c.state]
          }}</span>
          <span class="second" :title="exactTime(c.sentAt)">{{ ago(c.sentAt) }}</span>
        </router-link>
      </div>
    </div>
    <div v-if="changes.hasNextPage.value" class="item more" role="row">
      <span role="gridcell"
        ><button class="act quiet" :disabled="changes.isFetchingNextPage.value" @click="changes.fetchNextPage()">
          More changes
        </button></span
      >
    </div>
  </div>
  <div v-else-if="!changes.isPending.value" class="empty">
    <h1>{{ nothing[view][0] }}</h1>
    <p class="second">{{ nothing[view][1] }}</p>
  </div>
  <Teleport defer to="#margin">
    <h1>Review</h1>
    <p class="second">Nothing reaches the catalogue without a second person.</p>
    <h2>What a reviewer looks for</h2>
    <p>Is the claim as wide as its proof? One phone says something about its firmware, little about another maker's.</p>
    <h2>Nobody accepts their own</h2>
    <p>Your changes wait here for somebody else, like everybody's.</p>
    <h2>Two reviewers</h2>
    <p>
      A grade more lenient than suggested, anything that lowers Load-bearing or Tied in, and a person's first changes
      need a second. <router-link class="link" to="/rules">The rules</router-link>
    </p>
    <div class="keys">
      <span><KeyCap of="j" /> <KeyCap of="k" /> move</span><span><KeyCap of="Enter" /> open</span>
    </div>
  </Teleport>
</template>

<style scoped>
.listbar button {
  padding: 2px 0;
  color: var(--second);
}
.listbar button.on {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 2px var(--ink);
}
.listbar .second {
  margin-left: auto;
}
.queue {
  overflow: auto;
}
.queue a {
  display: grid;
  grid-template-columns: 34px minmax(0, 1fr) 150px 66px 140px 96px;
  gap: 12px;
  align-items: baseline;
  padding: 9px 18px;
  border-bottom: 1px solid var(--row);
  text-decoration: none;
}
.item.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
@media (max-width: 1150px) {
  .queue a {
    grid-template-columns: 26px minmax(0, 1fr) 108px 54px 84px 72px;
    gap: 8px;
  }
}
.queue a:focus-visible {
  outline-offset: -2px;
}
.title {
  display: flex;
  flex-direction: column;
}
.more {
  padding: 9px 18px;
}
.marks {
  display: flex;
  flex-direction: column;
}
.asked {
  font-weight: 600;
}
.title b {
  font-weight: 600;
}
</style>
