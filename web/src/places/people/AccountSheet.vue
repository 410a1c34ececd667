<script setup lang="ts">
// What only you see on your own page: password, sign-ins, tokens, feed.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask } from '@/api/client'
import { ago, day } from '@/format/dates'
import { useChange } from '@/composables/change'
import { confirming } from '@/composables/passkeys'
import { useSession } from '@/composables/session'
import { refusals } from '@/places/signin/refusals'
import KeySheet from './KeySheet.vue'
import PasskeySheet from './PasskeySheet.vue'
import CopyButton from '@/ui/CopyButton.vue'

const sessions = useQuery({
  queryKey: ['sessions'],
  queryFn: () => ask(api.GET('/api/v1/sessions')).then((r) => r.items),
})
const tokens = useQuery({ queryKey: ['tokens'], queryFn: () => ask(api.GET('/api/v1/tokens')).then((r) => r.items) })
const { wrong, said, run } = useChange('access')
const route = useRoute()
const { session } = useSession()
const provider = computed(() => session.data.value?.provider)
const refused = computed(() => refusals[String(route.query.refused ?? '')])
const old = ref('')
const fresh = ref('')
const ends = ref({ tokens: false, feeds: false })
const name = ref('')
const days = ref(90)
const scopes = ref<('read' | 'send' | 'review' | 'publish')[]>(['read', 'send'])
const secret = ref('')
const feed = ref('')
const desk = ref('')
const kinds = [
  ['read', 'read what you may see'],
  ['send', 'send changes, captures and files'],
  ['review', 'decide about changes'],
  ['publish', 'what maintainers and keepers may do'],
] as const

// browserOf shortens what a browser calls itself to what people call it.
function browserOf(agent: string): string {
  const browser = /(Firefox|Edg|OPR|Chrome|Safari)\//.exec(agent)?.[1] ?? 'a program'
  const system = /(Android|iPhone|Windows|Mac OS X|Linux)/.exec(agent)?.[1]
  return system ? `${browser === 'Edg' ? 'Edge' : browser} on ${system}` : browser
}
const addProvider = () =>
  run(async () => {
    const { url } = await confirming(() => ask(api.POST('/api/v1/session/provider', { body: { next: route.path } })))
    location.assign(url)
  })
const change = () =>
  run(async () => {
    await ask(
      api.POST('/api/v1/session/password', {
        body: { old: old.value, new: fresh.value, endTokens: ends.value.tokens, endFeeds: ends.value.feeds },
      }),
    )
    old.value = fresh.value = ''
    ends.value = { tokens: false, feeds: false }
  }, 'Changed. Everywhere else you are signed out.')
const others = () => run(async () => ask(api.DELETE('/api/v1/sessions')), 'Everywhere else you are signed out.')
const make = () =>
  run(async () => {
    const made = await ask(
      api.POST('/api/v1/tokens', { body: { name: name.value.trim(), scopes: scopes.value, days: days.value } }),
    )
    secret.value = made.secret
    name.value = ''
  })
const revoke = (id: string) => run(async () => ask(api.DELETE('/api/v1/tokens/{id}', { params: { path: { id } } })))
const newFeed = () =>
  run(async () => {
    const made = await ask(api.POST('/api/v1/news/feed'))
    feed.value = location.origin + made.path
    desk.value = location.origin + made.desk
  })
</script>

<template>
  <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  <p v-if="said" role="status">{{ said }}</p>
  <div class="account">
    <KeySheet />
    <section v-if="provider" aria-label="Provider">
      <h2>{{ provider }}</h2>
      <p v-if="refused" class="harm" role="alert">{{ refused }}</p>
      <p class="second">Sign in by it, too, as the same person.</p>
      <button class="act" @click="addProvider">Add {{ provider }}</button>
    </section>
    <section v-if="session.data.value?.passwords" aria-label="Password">
      <h2>Password</h2>
      <form @submit.prevent="change">
        <input
          v-model="old"
          class="field"
          type="password"
          autocomplete="current-password"
          placeholder="the old one"
          aria-label="Old password"
        />
        <input
          v-model="fresh"
          class="field"
          type="password"
          autocomplete="new-password"
          minlength="12"
          placeholder="a new one, twelve characters or more"
          aria-label="New password"
        />
        <template v-if="fresh">
          <p class="second">Did somebody else know the old one? They may have made themselves other ways in.</p>
          <label><input v-model="ends.tokens" type="checkbox" /> end all my tokens for programs</label>
          <label><input v-model="ends.feeds" type="checkbox" /> end the addresses of my feeds</label>
        </template>
        <button class="act" :disabled="!old || fresh.length < 12">Change it</button>
      </form>
    </section>
    <PasskeySheet v-if="session.data.value?.passkeys" />
    <section aria-label="Sign-ins">
      <h2>Where you are signed in</h2>
      <p v-for="s in sessions.data.value ?? []" :key="s.id">
        <span :title="s.agent">{{ s.here ? 'here' : browserOf(s.agent) }}</span>
        <span class="second gap">since {{ ago(s.createdAt) }}{{ s.here ? '' : `, used ${ago(s.seenAt)}` }}</span>
      </p>
      <button v-if="(sessions.data.value?.length ?? 0) > 1" class="act quiet" @click="others">
        Sign out everywhere else
      </button>
    </section>
    <section aria-label="Tokens">
      <h2>Tokens for programs</h2>
      <p v-for="t in tokens.data.value ?? []" :key="t.id">
        {{ t.name }}: {{ t.scopes.join(', ') }}
        <span class="second gap"
          >until {{ day(t.expiresAt) }}, {{ t.usedAt ? `used ${ago(t.usedAt)}` : 'not used yet' }}</span
        >
        <button class="link second" :aria-label="`End the token ${t.name}`" @click="revoke(t.id)">end it</button>
      </p>
      <p v-if="secret" class="notice">
        Shown only now: <span class="mono secret">{{ secret }}</span> <CopyButton :text="secret" what="the token" />
      </p>
      <form @submit.prevent="make">
        <input
          v-model="name"
          class="field"
          maxlength="80"
          placeholder="what it is for"
          aria-label="What the token is for"
        />
        <label v-for="[scope, what] in kinds" :key="scope"
          ><input v-model="scopes" type="checkbox" :value="scope" /> {{ what }}</label
        >
        <label>good for <input v-model.number="days" class="field days" type="number" min="1" max="366" /> days</label>
        <button class="act" :disabled="!name.trim() || !scopes.length">Make a token</button>
      </form>
    </section>
    <section aria-label="Feed">
      <h2>Your feed</h2>
      <p class="second">
        What you are told, and what waits on your Desk, as Atom, for a feed reader. Whoever has the addresses can read
        them.
      </p>
      <p v-if="feed" class="notice">
        Shown only now: <span class="mono secret">{{ feed }}</span>
        <CopyButton :text="feed" what="the feed’s address" /> and, for your Desk,
        <span class="mono secret">{{ desk }}</span> <CopyButton :text="desk" what="the Desk’s address" />
      </p>
      <button class="act quiet" @click="newFeed">Make a new address</button>
    </section>
  </div>
</template>

<style scoped>
.account {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
  gap: 16px 32px;
  margin: 12px 0;
  padding: 12px 0;
  border: solid var(--hair);
  border-width: 1px 0;
}
form {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 5px;
  margin-top: 4px;
}
form .field:not(.days) {
  width: 100%;
}
.days {
  width: 60px;
}
.secret {
  overflow-wrap: anywhere;
}
.gap {
  margin: 0 6px;
}
</style>
