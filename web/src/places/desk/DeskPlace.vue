<script setup lang="ts">
// What waits for you, the most urgent first, each line a sentence that leads to
// where it is dealt with.
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import { day, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useSession } from '@/composables/session'
import { inDays, kindWord, useDesk, type Line } from './desk'
import DeskMargin from './DeskMargin.vue'
import FirstStart from './FirstStart.vue'
import FirstSteps from './FirstSteps.vue'
import HandForm from './HandForm.vue'
import PutOffForm from './PutOffForm.vue'

const router = useRouter()
const { person, may } = useSession()
// A new installation has its keeper do other things first.
const start = useQuery({
  queryKey: ['first-start'],
  enabled: () => may('keeper'),
  queryFn: () => ask(api.GET('/api/v1/first-start')),
  refetchInterval: (q) => (q.state.data?.filling ? 3000 : false),
})
// Whoever fills it is told here what came of that, whatever is in by then.
const filling = ref(false)
const fresh = computed(() => {
  const s = start.data.value
  return s && (!s.captured || s.filling || filling.value) ? s : undefined
})
const { desk, lines, away, putOff, done, hand } = useDesk()
// What is put off, done with or handed over can be looked at, and brought back.
const behind = ref(false)
const shown = computed(() => (behind.value ? away.value : lines.value))
watch(away, (list) => {
  if (!list.length) behind.value = false
})
const most = computed(() => shown.value[0]?.points ?? 1)
// What is being put off or handed over, below its line.
const doing = ref<'off' | 'hand'>()
const cursor = useCursor<Line>(shown, {
  name: 'line',
  of: 'line',
  key: (l) => l.key,
  moved: () => (doing.value = undefined),
})
const { current } = cursor
const { wrong, run } = useChange()
// What was just done with a line, and how it is undone.
const said = ref<{ words: string; undo?: () => Promise<unknown> }>()

async function act(what: () => Promise<unknown>, saying: string, undo?: () => Promise<unknown>) {
  if (!(await run(what))) return
  said.value = saying ? { words: saying, undo } : undefined
  doing.value = undefined
}
const off = (l: Line, until: Date) =>
  act(
    () => putOff(l.key, until),
    `Put off until ${day(until.toISOString())}.`,
    () => putOff(l.key),
  )
const finish = (l: Line) => act(() => done(l.key), 'Done with.', l.kind === 'told' ? undefined : () => putOff(l.key))
const bring = (l: Line) => act(() => putOff(l.key), 'Back on your Desk.')
const give = (l: Line, to: string, name: string, why: string) => act(() => hand(l.key, to, why), `Handed to ${name}.`)

function open(l: Line) {
  if (l.kind === 'told') void done(l.key)
  void router.push(l.to)
}
function begin(what: 'off' | 'hand') {
  if (behind.value) return
  doing.value = doing.value === what ? undefined : what
  void nextTick(() => document.querySelector<HTMLElement>('.below button, .below select')?.focus())
}
useKeys([
  { keys: ['Enter'], does: 'go where it is dealt with', run: () => current.value && open(current.value) },
  { keys: ['s'], does: 'put it off', run: () => current.value && begin('off') },
  { keys: ['h'], does: 'hand it to somebody', run: () => current.value && begin('hand') },
  {
    keys: ['d'],
    does: 'be done with it',
    run: () => current.value && !behind.value && void finish(current.value),
  },
  { keys: ['b'], does: 'bring it back', run: () => current.value && behind.value && void bring(current.value) },
  { keys: ['Escape'], does: 'leave it as it is', run: () => (doing.value = undefined) },
])
</script>

<template>
  <div class="listbar">
    <b>{{ behind ? 'Put off, or done with' : lines.length ? `${count(lines.length, 'thing')} for you` : 'Desk' }}</b>
    <span v-if="said" role="status" class="said"
      >{{ said.words }}
      <button v-if="said.undo" class="link" @click="act(said.undo, '')">Undo</button>
    </span>
    <button v-if="away.length" class="link second" @click="((behind = !behind), cursor.reset())">
      {{ behind ? 'Back to what waits' : `${away.length} put off or done` }}
    </button>
    <span class="end">
      <router-link class="link" :to="{ name: 'week' }">This week</router-link>
      <router-link class="link" :to="{ name: 'follows' }">What you follow</router-link>
    </span>
  </div>
  <div v-if="desk.isError.value" class="notice bad" role="alert">
    {{ words(desk.error.value) }} <button class="link" @click="desk.refetch()">Try again</button>
  </div>
  <p v-if="wrong" class="notice bad" role="alert">{{ wrong }}</p>
  <FirstStart v-if="fresh && !behind" :start="fresh" @filling="filling = true" />
  <FirstSteps v-else-if="!behind" />
  <div
    v-if="shown.length"
    class="desk"
    v-bind="cursor.list.value"
    :aria-label="behind ? 'What is put off' : 'What waits for you'"
  >
    <div
      v-for="l in shown"
      :key="l.key"
      class="item"
      v-bind="cursor.row(l)"
      :class="{ picked: l === current }"
      @click="cursor.put(l)"
    >
      <div class="row" role="gridcell">
        <span class="gauge" :title="`${l.severity} × ${l.reach.toFixed(2)} × ${l.age.toFixed(2)} = ${l.points}`"
          ><i :style="{ width: `${Math.max(4, (100 * l.points) / most)}%` }"
        /></span>
        <span class="kind second">{{ kindWord[l.kind] }}</span>
        <a class="text" :href="l.to" @click.prevent="open(l)">
          <span>{{ l.text }}</span>
          <span v-if="l.words" class="words" dir="auto">“{{ l.words }}” {{ l.handedBy }}</span>
          <span v-else-if="l.handedBy" class="words">handed to you by {{ l.handedBy }}</span>
          <span class="second why" :title="`since ${exactTime(l.since)}`">{{ l.why }}</span>
        </a>
        <span v-if="behind" class="acts">
          <span class="second">{{ l.until ? `until ${day(l.until)}` : 'done' }}</span>
          <button class="link second" @click.stop="bring(l)">bring back</button>
        </span>
        <span v-else class="acts">
          <button class="link second" @click.stop="(cursor.put(l), begin('off'))">put off</button>
          <button class="link second" @click.stop="(cursor.put(l), begin('hand'))">hand over</button>
          <button class="link second" @click.stop="finish(l)">done</button>
        </span>
      </div>
      <div v-if="l === current && doing" class="below" role="gridcell" @click.stop>
        <PutOffForm v-if="doing === 'off'" @until="off(l, $event)" @close="doing = undefined" />
        <HandForm v-else @to="(to, name, why) => give(l, to, name, why)" @close="doing = undefined" />
      </div>
    </div>
  </div>
  <div v-else-if="desk.isSuccess.value" class="empty">
    <h1>Nothing waits for you</h1>
    <p class="second">
      What needs you comes here by itself: changes to review, firmware that arrived, releases that no longer hold, check
      lists that are due. It goes when its cause is gone.
    </p>
    <router-link class="act" to="/ledger">See the packages</router-link>
  </div>
  <Teleport defer to="#margin"
    ><DeskMargin :line="current" :behind="behind" :role="person?.role ?? ''" :tomorrow="inDays(1)"
  /></Teleport>
</template>

<style scoped>
.end {
  margin-left: auto;
  display: flex;
  gap: 16px;
  color: var(--second);
}
.desk {
  overflow: auto;
}
.item {
  border-bottom: 1px solid var(--row);
}
.item.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.row {
  display: grid;
  grid-template-columns: 46px 78px minmax(0, 1fr) auto;
  gap: 12px;
  align-items: baseline;
  padding: 7px 18px;
}
.gauge {
  height: 5px;
  background: var(--row);
  align-self: start;
  margin-top: 7px;
}
.gauge i {
  display: block;
  height: 100%;
  background: var(--ink);
}
.text {
  display: flex;
  flex-direction: column;
  text-decoration: none;
  min-width: 0;
}
.text span:first-child {
  font-weight: 500;
  overflow-wrap: anywhere;
}
.words {
  border-left: 2px solid var(--hair);
  padding-left: 8px;
}
.acts {
  display: flex;
  gap: 12px;
  visibility: hidden;
}
.item.picked .acts,
.item:hover .acts,
.item:focus-within .acts {
  visibility: visible;
}
.below {
  padding: 0 18px 10px 154px;
}
@media (max-width: 720px) {
  .row {
    grid-template-columns: 34px minmax(0, 1fr);
  }
  .kind {
    display: none;
  }
  .acts {
    grid-column: 2;
    visibility: visible;
  }
  .below {
    padding-left: 18px;
  }
}
</style>
