<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import { api, ask, words } from '@/api/client'
import { ago } from '@/format/dates'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useModels, useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import AskDialog from './AskDialog.vue'
import ComparedSheet from './ComparedSheet.vue'
import CutList from './CutList.vue'
import GainSheet from './GainSheet.vue'
import PinDialog from './PinDialog.vue'
import { inOrder, stopAfter, type Order } from './line'
import { useProfile, type Pin, type Row, type Rules } from './profile'
import ProfileFoot from './ProfileFoot.vue'
import ProfileHead from './ProfileHead.vue'
import ProfileMargin from './ProfileMargin.vue'
import PublicationBar from './PublicationBar.vue'
import RulesSheet from './RulesSheet.vue'
import RunSheet from './RunSheet.vue'

const route = useRoute()
const router = useRouter()
const { query: scopeQuery } = useScope()
const { may, person } = useSession()
const id = computed(() => String(route.params.id))
const {
  query,
  profile,
  rules,
  sisters,
  composition,
  dirty,
  draft,
  over,
  letGo,
  wrong,
  busy,
  open,
  outdated,
  change,
  save,
  askFor,
  decide,
} = useProfile(id, () => may('maintainer'))
const models = useModels(() => profile.value?.maker)
const siblings = useQuery({
  queryKey: computed(() => ['profiles', 'of', profile.value?.maker]),
  enabled: computed(() => !!profile.value),
  queryFn: () =>
    ask(api.GET('/api/v1/profiles', { params: { query: { maker: profile.value!.maker } } })).then((r) =>
      r.items.filter((p) => p.id !== id.value),
    ),
})
const sheets = { run: 'Run sheet', rules: 'Rules', gain: 'Harm and gain', compared: 'Compared' } as const
const sheet = ref<keyof typeof sheets>(route.query.sheet === 'gain' ? 'gain' : 'run')
const order = ref<Order>('safest')
const editable = computed(() => may('maintainer'))
const pinning = ref<Row>()
const confirming = ref(false)
const published = ref<{ number: number; path: string }>()

const set = (part: Partial<Rules>) => rules.value && editable.value && void change({ ...rules.value, ...part })

function step(by: number) {
  if (!composition.value || !rules.value) return
  const to = stopAfter(composition.value.lineStops, rules.value.highestCeiling, by)
  if (to !== rules.value.highestCeiling) set({ highestCeiling: to })
}
function pin(to: Pin) {
  const others = rules.value!.pins.filter((p) => p.package !== to.package)
  set({ pins: [...others, to] })
  pinning.value = undefined
}
function unpin(row: Row) {
  set({ pins: rules.value!.pins.filter((p) => p.package !== row.package) })
}
const ranked = computed(() => inOrder(composition.value?.rows ?? [], order.value))
const cursor = useCursor(ranked, { name: 'ranked', of: 'package', key: (r) => r.package, next: ['j'], before: ['k'] })
const { current } = cursor
useKeys([
  {
    keys: ['ArrowDown'],
    does: 'with Shift: the cut line down; else the next package',
    run: (e) => (e.shiftKey ? step(1) : cursor.move(1)),
  },
  {
    keys: ['ArrowUp'],
    does: 'with Shift: the cut line up; else the package before',
    run: (e) => (e.shiftKey ? step(-1) : cursor.move(-1)),
  },
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
  { keys: ['z'], does: 'let go what you have changed and not kept', run: letGo },
  {
    keys: ['Enter'],
    does: 'open its dossier',
    run: () =>
      current.value &&
      void router.push({ name: 'dossier', params: { name: current.value.package }, query: scopeQuery.value }),
  },
])
const state = computed(() => {
  if (!dirty.value) return 'as kept'
  if (over.value) return 'as you left it; somebody changed the rules since: keeping yours takes the place of theirs'
  return draft.restored.value ? 'as you left it, not kept' : 'changed, not kept'
})
// What is asked for is what is kept, and what the dialog tells of.
async function prepare() {
  if (dirty.value && !(await save())) return
  confirming.value = true
}
async function askToPublish(changes: string[], to: string) {
  await askFor(changes, to)
  if (!wrong.value) confirming.value = false
}
async function settle(verdict: 'published' | 'returned' | 'taken-back', answer: string) {
  const made = await decide(open.value!.id, verdict, answer)
  if (made?.path) published.value = { number: made.number!, path: made.path }
}
</script>

<template>
  <div v-if="query.isError.value" class="empty">
    <h1>No profile</h1>
    <p class="second">{{ words(query.error.value) }}</p>
    <router-link class="act" :to="{ path: '/profiles', query: scopeQuery }">To the profiles</router-link>
  </div>
  <template v-else-if="profile && rules && composition">
    <ProfileHead :profile="profile" :composition="composition" />
    <p v-if="published" class="notice" role="status">
      No. {{ published.number }} is published and signed:
      <a :href="published.path" target="_blank">{{ published.path }}</a>
    </p>
    <p v-if="outdated" class="notice" role="status">
      {{ outdated.askedBy }} asked to publish this {{ ago(outdated.askedAt) }}. It is withdrawn:
      {{ outdated.decidedBy }} changed the rules {{ ago(outdated.decidedAt!) }}. What they make now has to be asked for
      anew.
    </p>
    <PublicationBar
      v-if="open"
      :publication="open"
      :own="open.askedById === person?.id"
      :may="editable"
      :number="profile.newest + 1"
      :busy="busy"
      :dirty="dirty"
      @decide="settle"
    />
    <div class="two" :class="{ wide: sheet === 'gain' }">
      <CutList
        v-model:order="order"
        :cursor="cursor"
        :rows="ranked"
        :composition="composition"
        :rules="rules"
        :editable="editable"
        @cut="set({ highestCeiling: $event })"
        @step="step"
        @pin="pinning = $event"
        @unpin="unpin"
      />
      <div class="side">
        <nav aria-label="Sheets">
          <button v-for="(name, key) in sheets" :key="key" :aria-current="sheet === key" @click="sheet = key">
            {{ name }}
          </button>
        </nav>
        <RunSheet
          v-if="sheet === 'run'"
          :composition="composition"
          :rules="rules"
          :editable="editable"
          @rules="set($event)"
        />
        <GainSheet
          v-else-if="sheet === 'gain'"
          :composition="composition"
          :rules="rules"
          :editable="editable"
          :cursor="cursor"
          :profile="profile"
          @cut="set({ highestCeiling: $event })"
          @keep="pinning = $event"
        />
        <RulesSheet
          v-else-if="sheet === 'rules'"
          v-model:sisters="sisters"
          :composition="composition"
          :rules="rules"
          :editable="editable"
          :models="models.data.value ?? []"
          :own="profile.modelId"
          @rules="set($event)"
        />
        <ComparedSheet v-else :profile="profile" :others="siblings.data.value ?? []" :dirty="dirty" />
      </div>
    </div>
    <PinDialog v-if="pinning" :row="pinning" @close="pinning = undefined" @pin="pin" />
    <AskDialog
      v-if="confirming"
      :profile="profile"
      :composition="composition"
      :busy="busy"
      :wrong="wrong"
      @close="confirming = false"
      @ask="askToPublish"
    />
    <Teleport defer to="#margin"
      ><ProfileMargin
        :profile="profile"
        :composition="composition"
        :rules="rules"
        :row="current"
        :editable="editable"
        @rules="set($event)"
        @take="pinning = $event"
    /></Teleport>
    <Teleport defer to="#foot">
      <ProfileFoot
        :rules="rules"
        :state="state"
        :wrong="wrong"
        :dirty="dirty"
        :busy="busy"
        :editable="editable"
        :asked="!!open"
        :number="profile.newest + 1"
        :stops="composition.stops"
        @let-go="letGo"
        @keep="save"
        @ask="prepare"
      />
    </Teleport>
  </template>
</template>

<style scoped>
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 284px;
}
.two.wide {
  grid-template-columns: minmax(0, 1fr) 400px;
}
@media (max-width: 720px) {
  .two,
  .two.wide {
    grid-template: minmax(220px, 1fr) auto / minmax(0, 1fr);
    overflow: auto;
  }
}
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.side > :last-child {
  flex: 1;
  min-height: 0;
}
nav {
  display: flex;
  gap: 16px;
  height: 27px;
  align-items: center;
  padding: 0 14px;
  border-bottom: 1px solid var(--ink);
  font-size: 12px;
  color: var(--second);
}
nav button[aria-current='true'] {
  color: var(--ink);
  font-weight: 650;
}
</style>
