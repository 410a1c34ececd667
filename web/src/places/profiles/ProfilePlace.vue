<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words } from '@/api/client'
import { ceiling } from '@/evidence/words'
import FootBar from '@/shell/FootBar.vue'
import { useKeys } from '@/shell/keys'
import { useScope } from '@/shell/scope'
import { useSession } from '@/shell/session'
import CutList from './CutList.vue'
import PinDialog from './PinDialog.vue'
import { useProfile, type Row, type Rules } from './profile'
import ProfileMargin from './ProfileMargin.vue'
import PublishDialog from './PublishDialog.vue'
import RunSheet from './RunSheet.vue'

const route = useRoute()
const router = useRouter()
const { query: scopeQuery } = useScope()
const { may } = useSession()
const id = computed(() => String(route.params.id))
const { query, profile, rules, composition, dirty, wrong, busy, change, save, publish } = useProfile(id)
const editable = computed(() => may('maintainer'))
const at = ref(0)
const pinning = ref<Row>()
const confirming = ref(false)
const published = ref<{ number: number; path: string }>()

const set = (part: Partial<Rules>) => rules.value && editable.value && void change({ ...rules.value, ...part })

// The line moves from one ceiling that a package has to the next.
function step(by: 1 | -1) {
  const steps = composition.value?.steps
  if (!steps || !rules.value) return
  const now = rules.value.highestCeiling
  const to = by > 0 ? steps.find((s) => s > now) : steps.findLast((s) => s < (steps.findLast((x) => x <= now) ?? now))
  if (to !== undefined) set({ highestCeiling: to })
}
function pin(row: Row, goes: boolean, reason: string) {
  const others = rules.value!.pins.filter((p) => p.package !== row.package)
  set({ pins: [...others, { package: row.package, goes, reason }] })
  pinning.value = undefined
}
function unpin(row: Row) {
  set({ pins: rules.value!.pins.filter((p) => p.package !== row.package) })
}
const current = computed(() => composition.value?.rows[at.value])
function move(by: number) {
  at.value = Math.max(0, Math.min(at.value + by, (composition.value?.rows.length ?? 1) - 1))
  requestAnimationFrame(() => document.getElementById(`cut-${at.value}`)?.scrollIntoView({ block: 'nearest' }))
}
useKeys([
  {
    keys: ['ArrowDown'],
    does: 'with Shift: the cut line down; else the next package',
    run: (e) => (e.shiftKey ? step(1) : move(1)),
  },
  {
    keys: ['ArrowUp'],
    does: 'with Shift: the cut line up; else the package before',
    run: (e) => (e.shiftKey ? step(-1) : move(-1)),
  },
  { keys: ['j'], does: 'next package', run: () => move(1) },
  { keys: ['k'], does: 'package before', run: () => move(-1) },
  {
    keys: ['p'],
    does: 'pin it across the line, or unpin it',
    run: () => {
      if (current.value && editable.value) {
        if (current.value.pin) unpin(current.value)
        else pinning.value = current.value
      }
    },
  },
  {
    keys: ['Enter'],
    does: 'open its dossier',
    run: () =>
      current.value &&
      void router.push({ name: 'dossier', params: { name: current.value.package }, query: scopeQuery.value }),
  },
])
async function doPublish() {
  confirming.value = false
  published.value = await publish()
}
</script>

<template>
  <div v-if="query.isError.value" class="empty">
    <h1>No profile</h1>
    <p class="second">{{ words(query.error.value) }}</p>
    <router-link class="act" :to="{ path: '/profiles', query: scopeQuery }">To the profiles</router-link>
  </div>
  <template v-else-if="profile && rules && composition">
    <header>
      <div class="title">
        <h1 dir="auto">{{ profile.name }}</h1>
        <p class="second" dir="auto">
          {{ profile.modelName }}. {{ profile.purpose }}
          {{ profile.newest ? `Draft after no. ${profile.newest}.` : 'Never published.' }}
        </p>
      </div>
      <dl>
        <div>
          <dd data-testid="goes">{{ composition.goes }}</dd>
          <dt>go</dt>
        </div>
        <div>
          <dd>{{ composition.stays }}</dd>
          <dt>stay</dt>
        </div>
        <div>
          <dd>{{ composition.lost.length }}</dd>
          <dt>functions lost</dt>
        </div>
        <div>
          <dd>{{ composition.startsAtBoot }}</dd>
          <dt>start at boot, fewer</dt>
        </div>
      </dl>
    </header>
    <p v-if="published" class="notice" role="status">
      No. {{ published.number }} is published and signed:
      <a :href="published.path" target="_blank">{{ published.path }}</a>
    </p>
    <div class="two">
      <CutList
        v-model:at="at"
        :composition="composition"
        :rules="rules"
        :editable="editable"
        @cut="set({ highestCeiling: $event })"
        @step="step"
        @pin="pinning = $event"
        @unpin="unpin"
      />
      <RunSheet :composition="composition" :rules="rules" :editable="editable" @rules="set($event)" />
    </div>
    <PinDialog
      v-if="pinning"
      :row="pinning"
      @close="pinning = undefined"
      @pin="(goes, reason) => pin(pinning!, goes, reason)"
    />
    <PublishDialog
      v-if="confirming"
      :profile="profile"
      :composition="composition"
      @close="confirming = false"
      @publish="doPublish"
    />
    <Teleport defer to="#margin"
      ><ProfileMargin :profile="profile" :composition="composition" :row="current"
    /></Teleport>
    <Teleport defer to="#foot">
      <FootBar name="Profile">
        <span v-if="wrong" role="alert">{{ wrong }}</span>
        <template v-else>
          <span>{{ dirty ? 'changed, not kept' : 'as kept' }}</span>
          <span class="dim"
            >no more than {{ rules.highestLoad === 'loose' ? 'Loose' : 'Leaned on' }}, no more than
            {{ ceiling(rules.highestCeiling) }} harmed</span
          >
        </template>
        <template v-if="editable">
          <button class="go plain" :disabled="!dirty || busy" @click="save">Keep the rules</button>
          <button
            class="go"
            :disabled="busy || !!composition.stopped"
            :title="composition.stopped"
            @click="confirming = true"
          >
            Publish no. {{ profile.newest + 1 }}
          </button>
        </template>
      </FootBar>
    </Teleport>
  </template>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  gap: 24px;
  align-items: end;
  padding: 12px 14px 10px;
  border-bottom: 1px solid var(--hair);
}
dl {
  display: flex;
  gap: 24px;
}
dl div {
  display: flex;
  flex-direction: column;
}
dd {
  font-size: 20px;
  font-weight: 650;
  line-height: 1.15;
}
dt {
  color: var(--second);
  white-space: nowrap;
}
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 264px;
}
</style>
