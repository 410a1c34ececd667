<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { focusList } from '@/composables/layers'
import { useKeyList, useKeys } from '@/composables/keys'
import { buildName, useBuilds, useMakers, useModels, useScope } from '@/composables/scope'
import ScopePick from './ScopePick.vue'
import { useSession } from '@/composables/session'
import KeyCap from '@/ui/KeyCap.vue'

const theme = defineModel<'auto' | 'light' | 'dark'>('theme', { required: true })
const route = useRoute()
const router = useRouter()
const { scope, setScope, query } = useScope()
const { session, person, may, signOut } = useSession()
const unread = computed(() => session.data.value?.unread ?? 0)
const keys = useKeyList()

const makers = useMakers()
const models = useModels(() => scope.value.maker)
const builds = useBuilds(
  () => scope.value.maker,
  () => scope.value.model,
)
const makerItems = computed(() => (makers.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const modelItems = computed(() => (models.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const buildItems = computed(() =>
  (builds.data.value ?? []).map((b) => ({ value: b.id, title: buildName(b), note: `Android ${b.release}` })),
)
const allBuilds = computed(() => {
  const n = builds.data.value?.length ?? 0
  return n === 0 ? 'all' : n === 1 ? 'the only one' : `all ${n}`
})

// [ and ] walk through the model's builds, with "all" at the end.
function step(by: number) {
  const ids = [...(builds.data.value ?? []).map((b) => b.id), undefined]
  if (ids.length < 2) return
  const at = ids.indexOf(scope.value.build)
  setScope({ ...scope.value, build: ids[(at + by + ids.length) % ids.length] })
}
const find = ref<HTMLInputElement>()
const text = ref(typeof route.query.q === 'string' ? route.query.q : '')
watch(
  () => route.query.q,
  (q) => {
    if (document.activeElement !== find.value) text.value = typeof q === 'string' ? q : ''
  },
)
// show goes to what is looked for; what was looked for before has no say any more.
function show() {
  const q = text.value.trim()
  const inLedger = route.path === '/ledger'
  const rest: LocationQueryRaw = { ...(inLedger ? route.query : query.value) }
  delete rest.q
  const to = { path: '/ledger', query: { ...rest, ...(q ? { q } : {}) } }
  return inLedger ? router.replace(to) : router.push(to)
}
let wanted = 0
const search = useDebounceFn((mine: number) => mine === wanted && void show(), 120)
// Enter goes to what was found; Escape lets go of it, box and filter together.
async function settle(keep: boolean) {
  wanted++
  if (!keep) text.value = ''
  const inLedger = route.path === '/ledger'
  if (keep ? text.value.trim() : inLedger) await show()
  find.value?.blur()
  await nextTick()
  if (keep) focusList()
}

useKeys([
  { keys: ['/'], does: 'find by name, label or alias', run: () => find.value?.focus() },
  { keys: ['['], does: 'the build before', run: () => step(-1) },
  { keys: [']'], does: 'the next build', run: () => step(1) },
  { keys: ['?'], does: 'show these keys', run: () => (keys.shown = !keys.shown) },
])
const initials = computed(() =>
  (person.value?.name ?? '')
    .split(/\s+/)
    .map((w) => w[0])
    .slice(0, 2)
    .join(''),
)
const nextTheme = { auto: 'light', light: 'dark', dark: 'auto' } as const
</script>

<template>
  <header class="bar">
    <router-link class="word" :to="{ path: '/desk', query }">Roster</router-link>
    <nav class="scope" aria-label="Scope">
      <ScopePick
        name="Maker"
        empty="everywhere"
        :items="makerItems"
        :value="scope.maker"
        @pick="setScope({ maker: $event })"
      />
      <ScopePick
        v-if="scope.maker"
        name="Model"
        empty="all models"
        :items="modelItems"
        :value="scope.model"
        @pick="setScope({ maker: scope.maker, model: $event })"
      />
      <ScopePick
        v-if="scope.model"
        name="Build"
        :empty="allBuilds"
        :items="buildItems"
        :value="scope.build"
        @pick="setScope({ ...scope, build: $event })"
      />
    </nav>
    <label class="find">
      <kbd aria-hidden="true">/</kbd>
      <input
        ref="find"
        v-model="text"
        type="search"
        placeholder="find by name, label or alias"
        aria-label="Find packages by name, label or alias"
        maxlength="200"
        @input="search(++wanted)"
        @keydown.esc.prevent="settle(false)"
        @keydown.enter.prevent="settle(true)"
        @keydown.down.prevent="settle(true)"
      />
    </label>
    <v-menu location="bottom end" offset="0">
      <template #activator="{ props: menu }">
        <button
          class="me"
          v-bind="menu"
          :aria-label="`You: ${person?.name}, ${person?.role}${unread ? `, ${unread} not read` : ''}`"
        >
          {{ initials }}<i v-if="unread">{{ unread }}</i>
        </button>
      </template>
      <div v-focus class="menu" role="dialog" aria-label="You">
        <p>
          <b>{{ person?.name }}</b>
        </p>
        <p class="second">{{ person?.role }}</p>
        <router-link class="link" to="/news">What you were told{{ unread ? `: ${unread} new` : '' }}</router-link>
        <router-link class="link" :to="{ name: 'person', params: { id: person?.id } }"
          >Your record and tokens</router-link
        >
        <router-link class="link" to="/lists">Bring in a list from elsewhere</router-link>
        <router-link class="link" to="/people">People</router-link>
        <router-link class="link" to="/rules">The rules that hold here</router-link>
        <router-link class="link" to="/yardstick">What evidence is measured by</router-link>
        <router-link v-if="may('keeper')" class="link" to="/record">Who did what</router-link>
        <a v-if="may('maintainer')" class="link" href="/api/v1/catalogue" download>The whole catalogue as a file</a>
        <button @click.stop="theme = nextTheme[theme]">
          Colours: {{ theme === 'auto' ? 'as the computer' : theme }}
        </button>
        <button @click="keys.shown = true">Keys <KeyCap of="?" /></button>
        <button @click="signOut">Sign out</button>
      </div>
    </v-menu>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: stretch;
  background: var(--sheet);
  border-bottom: 1px solid var(--ink);
}
.word {
  width: 96px;
  display: flex;
  align-items: center;
  padding-left: 14px;
  font-weight: 700;
  font-size: 15px;
  letter-spacing: -0.01em;
  text-decoration: none;
}
.scope {
  display: flex;
  flex: 1;
  border-left: 1px solid var(--hair);
  min-width: 0;
}
.find {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 300px;
  margin: 7px 12px;
  padding: 0 10px;
  border: 1px solid var(--hair);
}
.find:focus-within {
  border-color: var(--ink);
}
.find input {
  flex: 1;
  min-width: 0;
  border: 0;
  outline: 0;
  background: none;
  color: inherit;
  font: inherit;
}
.find input::placeholder {
  color: var(--second);
}
.me {
  min-width: 44px;
  padding: 0 9px;
  border-left: 1px solid var(--hair);
  font-weight: 600;
  text-align: center;
}
.me i {
  margin-left: 3px;
  font-style: normal;
  font-size: 12px;
  border-bottom: 2px solid var(--ring);
}
.menu {
  width: 250px;
  background: var(--sheet);
  border: 1px solid var(--ink);
  padding: 12px 0 6px;
}
.menu p {
  padding: 0 14px;
}
.menu button {
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 6px 14px;
}
.menu p + button {
  margin-top: 8px;
  border-top: 1px solid var(--hair);
}
.menu button:hover {
  background: var(--soft);
}
@media (max-width: 1100px) {
  .find {
    width: 220px;
  }
}
@media (max-width: 720px) {
  .word {
    width: auto;
    padding-right: 10px;
  }
  .scope {
    overflow: auto;
  }
  .find {
    flex: 0 1 150px;
    min-width: 84px;
    width: auto;
    margin: 7px 8px;
  }
  .find kbd {
    display: none;
  }
}
</style>
