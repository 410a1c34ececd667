<script setup lang="ts">
// Who is signed in, and what is about them or the installation.
import { computed } from 'vue'
import { useKeyList } from '@/composables/keys'
import { useSession } from '@/composables/session'
import KeyCap from '@/ui/KeyCap.vue'

const theme = defineModel<'auto' | 'light' | 'dark'>('theme', { required: true })
const { session, person, may, signOut } = useSession()
const unread = computed(() => session.data.value?.unread ?? 0)
const keys = useKeyList()
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
      <router-link v-if="may('keeper')" class="link" to="/installation">The installation, and what to do</router-link>
      <a v-if="may('maintainer')" class="link" href="/api/v1/catalogue" download>The whole catalogue as a file</a>
      <button @click.stop="theme = nextTheme[theme]">
        Colours: {{ theme === 'auto' ? 'as the computer' : theme }}
      </button>
      <button @click="keys.shown = true">Keys <KeyCap of="?" /></button>
      <button @click="signOut">Sign out</button>
    </div>
  </v-menu>
</template>

<style scoped>
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
</style>
