<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, type Schemas } from '@/api/client'
import LoadMark from '@/marks/LoadMark.vue'
import { useChange } from '@/composables/change'
import { useSession } from '@/composables/session'
import { refusals } from './refusals'
import SecondStep from './SecondStep.vue'

// Again is whose session has ended, where somebody signs in on top of a page.
const props = defineProps<{ again?: Schemas['Person'] }>()
const { session } = useSession()
const client = useQueryClient()
const login = ref(props.again?.login ?? '')
const password = ref('')
const { busy, wrong, run } = useChange()
const route = useRoute()
// How the provider is reached, and why whoever comes back from it is not in.
const provider = computed(() => session.data.value?.provider)
const start = computed(
  () => '/sign-in/start?next=' + encodeURIComponent(route.fullPath.replace(/[?&]refused=[^&]*/, '')),
)
const refused = computed(() => refusals[String(route.query.refused ?? '')])
const second = computed(() => session.data.value?.second)
const passwords = computed(() => session.data.value?.passwords ?? true)
const signIn = () =>
  run(async () => {
    await enter(await ask(api.POST('/api/v1/session', { body: { login: login.value, password: password.value } })))
  })
// Who is in goes on; who has yet to show a passkey is asked for it.
async function enter(s: Schemas['Session']) {
  if (s.second) return client.setQueryData(['session'], s)
  // What somebody else saw must not be shown; the session itself is watched.
  if (props.again && s.person?.id !== props.again.id) return location.assign('/')
  if (!props.again) client.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' })
  client.setQueryData(['session'], s)
  if (props.again) await client.invalidateQueries()
}
function use(d: { login: string; password: string }) {
  login.value = d.login
  password.value = d.password
  void signIn()
}
</script>

<template>
  <component :is="again ? 'div' : 'main'" :class="again ? 'over' : 'page'">
    <form @submit.prevent="signIn">
      <template v-if="again">
        <h1>Sign in again</h1>
        <p>Your session has ended. What you have written on this page is kept until you are back.</p>
      </template>
      <template v-else>
        <div class="courses" aria-hidden="true">
          <LoadMark
            v-for="l in ['loose', 'leaned-on', 'tied-in', 'load-bearing']"
            :key="l"
            :load="l"
            :size="30"
            silent
          />
        </div>
        <h1>Roster</h1>
        <p class="second">What can come off a phone, and how you know.</p>
      </template>
      <SecondStep v-if="second" :kind="second" @in="enter" />
      <template v-else>
        <p v-if="refused" class="harm" role="alert">{{ refused }}</p>
        <a v-if="provider" class="act first" :href="start" :target="again ? '_blank' : undefined">
          Sign in with {{ provider }}
        </a>
        <p v-if="provider && again" class="second">It opens beside this page, which goes on once you are in.</p>
        <template v-if="passwords">
          <p v-if="provider" class="second or">or with a password of this installation</p>
          <v-text-field v-model="login" v-focus label="Login" name="login" autocomplete="username" />
          <v-text-field
            v-model="password"
            label="Password"
            name="password"
            type="password"
            autocomplete="current-password"
          />
          <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
          <button class="act" :class="{ first: !provider }" type="submit" :disabled="busy || !login || !password">
            Sign in
          </button>
          <p class="second">Forgotten? A keeper makes you a link to set a new one.</p>
        </template>
      </template>
      <section v-if="!second && session.data.value?.demo.length && !again">
        <h2>Sample people</h2>
        <ul>
          <li v-for="d in session.data.value.demo" :key="d.login">
            <button type="button" class="link" @click="use(d)">{{ d.role }}</button>
            <span class="second mono">{{ d.login }} / {{ d.password }}</span>
          </li>
        </ul>
      </section>
      <p v-if="!again" class="second public">Looking for a release? <a href="/r">They are public.</a></p>
    </form>
  </component>
</template>

<style scoped>
.page {
  height: 100vh;
  display: grid;
  place-items: center;
  overflow: auto;
}
.over {
  display: grid;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--ink);
  font-size: 13px;
}
.over form {
  width: auto;
}
form {
  width: 340px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 20px;
}
.courses {
  display: flex;
  gap: 14px;
  align-items: end;
  margin-bottom: 8px;
}
h1 {
  font-size: 28px;
}
.page h1 + p {
  margin: -8px 0 10px;
}
section {
  margin-top: 12px;
  padding-top: 10px;
  border-top: 1px solid var(--hair);
}
li {
  display: flex;
  justify-content: space-between;
  padding: 3px 0;
}
.public {
  margin-top: 6px;
}
</style>
