<script setup lang="ts">
import { useLocalStorage, usePreferredDark } from '@vueuse/core'
import { computed, defineAsyncComponent, onMounted, ref, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'
import { useLive } from '@/api/live'
import { ProblemError, words } from '@/api/client'
import KeysHelp from '@/shell/KeysHelp.vue'
import MarkWords from '@/shell/MarkWords.vue'
import LeftEdge from '@/shell/LeftEdge.vue'
import MarginPane from '@/ui/MarginPane.vue'
import ScopeBar from '@/shell/ScopeBar.vue'
import { onceDrawn } from '@/composables/drawn'
import { useSession } from '@/composables/session'
import TrayBar from '@/tray/TrayBar.vue'
import EvidenceDialogs from '@/editing/EvidenceDialogs.vue'

const SignIn = defineAsyncComponent(() => import('@/places/signin/SignIn.vue'))

const route = useRoute()
const { session, person, ended } = useSession()
useLive(() => !!person.value && !ended.value)

const dark = usePreferredDark()
const chosen = useLocalStorage<'auto' | 'light' | 'dark'>('roster-theme', 'auto')
const theme = computed(() => (chosen.value === 'auto' ? (dark.value ? 'dark' : 'light') : chosen.value))
const vuetify = useTheme()
watchEffect(() => {
  document.documentElement.dataset.theme = theme.value
  vuetify.change(theme.value)
})
// What nobody sees before they ask for it is made once what they see is drawn.
const drawn = ref(false)
onMounted(() => onceDrawn(() => (drawn.value = true)))
const away = computed(() => {
  const e = session.failureReason.value
  return e instanceof ProblemError && e.status !== 401 ? words(e) : ''
})
</script>

<template>
  <v-app>
    <p v-if="away" class="away" role="alert">{{ away }} Trying again.</p>
    <div v-if="session.isPending.value" class="starting" aria-busy="true" />
    <router-view v-else-if="route.meta.bare" />
    <SignIn v-else-if="!person" />
    <div v-else class="shell">
      <ScopeBar v-model:theme="chosen" />
      <LeftEdge />
      <main id="sheet">
        <router-view :key="route.path" />
      </main>
      <MarginPane />
      <div v-if="route.meta.ownFoot" id="foot" />
      <TrayBar v-else />
      <template v-if="drawn">
        <KeysHelp />
        <MarkWords />
        <EvidenceDialogs />
      </template>
      <v-dialog v-if="ended" :model-value="true" persistent width="400" aria-label="Sign in again">
        <SignIn :again="person" />
      </v-dialog>
    </div>
  </v-app>
</template>

<style scoped>
.shell {
  display: grid;
  height: 100vh;
  height: 100dvh;
  grid-template: 44px minmax(0, 1fr) auto / 96px minmax(0, 1fr) auto;
}
.shell > :first-child,
#foot {
  grid-column: 1 / -1;
}
/* A technician sends a bug report from the phone itself. */
@media (max-width: 720px) {
  .shell {
    grid-template: 44px auto minmax(0, 1fr) auto auto / minmax(0, 1fr);
  }
}
#sheet {
  background: var(--sheet);
  overflow: hidden;
  display: flex;
  flex-direction: column;
  min-width: 0;
  position: relative;
}
.starting {
  height: 100vh;
}
.away {
  position: fixed;
  z-index: 3000;
  inset: 0 0 auto;
  padding: 8px 14px;
  background: var(--harm);
  color: #fff;
  font-weight: 600;
}
:deep(.v-application__wrap) {
  min-height: 0;
}
</style>
