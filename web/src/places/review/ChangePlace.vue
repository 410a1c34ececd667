<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { useIntersectionObserver } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words } from '@/api/client'
import { count } from '@/format/numbers'
import { stateWord } from '@/format/vocabulary'
import FootBar from '@/ui/FootBar.vue'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useMarking } from '@/composables/marking'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import { useTray } from '@/tray/tray'
import ChangeHead from './ChangeHead.vue'
import ChangeMargin from './ChangeMargin.vue'
import { similar, useReview, type Decided, type ReviewedEdit, type Verdict } from './change'
import EditSheet from './EditSheet.vue'
import { queueQuery } from './queue'
import TalkThread from './TalkThread.vue'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const { may } = useSession()
const { reopen } = useTray()
const id = computed(() => String(route.params.id))
const {
  change,
  run,
  lookedAt,
  decided,
  draft,
  open,
  knockOn,
  wrong,
  busy,
  finish,
  say,
  askPerson,
  takeBack,
  revert,
  reverted,
} = useReview(id, () => may('reviewer'))
const c = computed(() => change.data.value)
const shown = computed(() => c.value?.review.filter((e) => e.state !== 'replaced') ?? [])
const deciding = computed(
  () => !!c.value && c.value.state === 'sent' && (!c.value.own || c.value.alone) && may('reviewer'),
)
// A change may have thousands of edits: they are drawn as one comes to them.
const atOnce = 60
const drawn = ref(atOnce)
const more = ref<HTMLElement>()
const edits = ref<HTMLElement>()
useIntersectionObserver(more, ([seen]) => seen?.isIntersecting && (drawn.value += atOnce))
const cursor = useCursor(shown, { name: 'edit', of: 'edit', key: (e) => e.id, as: 'group' })
const { current, index } = cursor
watch(index, (i) => (drawn.value = Math.max(drawn.value, i + 1)), { immediate: true, flush: 'sync' })
const {
  marked,
  has: isMarked,
  mark,
  clear,
} = useMarking(
  'edit',
  shown,
  (e: { id: string }) => e.id,
  (e: ReviewedEdit) => ({ id: e.id }),
)
watch(id, () => {
  cursor.reset()
  clear()
})
const comments = computed(() => {
  const by = new Map<string, NonNullable<typeof c.value>['comments']>()
  for (const x of c.value?.comments ?? []) by.set(x.thread ?? '', [...(by.get(x.thread ?? '') ?? []), x])
  return by
})
const tally = computed(() => {
  const n = { accepted: 0, returned: 0, 'turned-down': 0 }
  for (const d of decided.values()) n[d.verdict]++
  const parts = []
  if (n.accepted) parts.push(`${n.accepted} to accept`)
  if (n.returned) parts.push(`${n.returned} to return`)
  if (n['turned-down']) parts.push(`${n['turned-down']} to turn down`)
  parts.push(`${open.value.length - decided.size} open`)
  if (marked.value.length) parts.push(`${marked.value.length} marked`)
  return parts.join(', ')
})
// A return needs words; only then is it ready to be written.
const ready = computed(
  () => decided.size > 0 && [...decided.values()].every((d) => d.verdict !== 'returned' || d.words.trim() !== ''),
)
const settle = (edit: string, d: Decided | undefined) => (d ? decided.set(edit, d) : decided.delete(edit))

// decide holds for every marked edit, or else for the one under the cursor.
function decide(edit: string, verdict?: Verdict) {
  const all = verdict && isMarked({ id: edit }) ? marked.value.map((m) => m.id) : [edit]
  for (const one of all) {
    const e = open.value.find((x) => x.id === one)
    if (!e || (verdict === 'accepted' && e.verdict === 'conflict')) continue
    if (!verdict) decided.delete(one)
    else decided.set(one, { verdict, words: decided.get(one)?.words ?? '' })
  }
  if (verdict) clear()
  if (verdict === 'returned')
    void nextTick(() => document.querySelector<HTMLTextAreaElement>(`#words-${edit} textarea`)?.focus())
  else if (verdict && all.length === 1) cursor.move(1)
}
// Words for one returned edit go to those that were returned with it.
function sayWords(edit: string, text: string) {
  const before = decided.get(edit)!.words
  for (const d of decided.values()) if (d.verdict === 'returned' && d.words === before) d.words = text
}
const press = (verdict: Verdict) => () => {
  if (deciding.value && current.value?.state === 'open') decide(current.value.id, verdict)
}
// The change after this one in the queue.
const queue = useQuery(queueQuery('sent'))
const place = computed(() => queue.data.value?.findIndex((x) => x.id === id.value) ?? -1)
const next = computed(() => {
  const rest = (queue.data.value ?? []).filter((x) => x.id !== id.value)
  return place.value < 0 ? rest[0] : (queue.data.value![place.value + 1] ?? rest[0])
})
const goNext = () => next.value && router.push({ name: 'change', params: { id: next.value.id }, query: query.value })
useKeys([
  { keys: ['a'], does: 'accept it', run: press('accepted') },
  { keys: ['r'], does: 'return it with words', run: press('returned') },
  { keys: ['d'], does: 'turn it down', run: press('turned-down') },
  {
    keys: ['x'],
    does: 'mark it: a, r and d then hold for all marked ones',
    run: () => current.value?.state === 'open' && mark([current.value]),
  },
  {
    keys: ['s'],
    does: 'mark all that say the same kind of thing',
    run: () => {
      const alike = open.value.filter((e) => current.value && similar(e, current.value))
      mark(alike, !alike.every(isMarked))
    },
  },
  { keys: ['f'], does: 'finish: write what you have decided', run: () => ready.value && void act() },
  { keys: ['z'], does: 'let go what you have decided, or bring it back', run: () => letGo() },
  { keys: ['n'], does: 'next change', run: () => void goNext() },
  {
    keys: ['u', 'Escape'],
    does: 'back to the queue',
    run: () => void router.push({ path: '/review', query: query.value }),
  },
])
const said = ref('')
// What was let go last can be brought back.
let gone: [string, Decided][] = []
function letGo() {
  if (!deciding.value) return
  if (decided.size) {
    gone = [...decided]
    decided.clear()
    void nextTick(() => (said.value = 'Let go; z brings it back.'))
  } else for (const [edit, d] of gone) decided.set(edit, d)
}
async function act() {
  if (await finish()) {
    cursor.reset()
    said.value = 'Written; the author is told.'
  }
}
watch(decided, () => (said.value = ''))
async function back() {
  if (await takeBack()) said.value = 'Taken back: its edits are in your tray again.'
}
async function undo() {
  if (!(await revert()) || !reverted.value) return
  const { edits, moved } = reverted.value
  said.value = `In your tray: ${count(edits, 'edit')} that take it back${moved ? `; ${moved} will meet a conflict` : ''}.`
}
async function again(edit: string) {
  if (await run(() => reopen(edit)))
    said.value = 'It is in your tray; sending it from there is the next round of this change.'
}
</script>

<template>
  <div v-if="change.isError.value" class="empty">
    <h1>No change</h1>
    <p class="second">{{ words(change.error.value) }}</p>
    <router-link class="act" :to="{ path: '/review', query }">To the queue</router-link>
  </div>
  <template v-else-if="c">
    <ChangeHead :change="c" :place="place" :of="queue.data.value?.length ?? 0" :ask-person="askPerson" />
    <p v-if="c.own && c.state === 'sent'" class="notice">
      {{
        c.alone
          ? 'This is yours. You are the only one here who can review, so you may decide; the history says so.'
          : 'This is yours: somebody else has to decide about it.'
      }}
    </p>
    <div ref="edits" class="scroll" v-bind="cursor.list.value" aria-label="Edits">
      <EditSheet
        v-for="(e, i) in shown.slice(0, drawn)"
        :key="e.id"
        v-bind="cursor.row(e)"
        :edit="e"
        :number="i + 1"
        :picked="e === current"
        :marked="isMarked(e)"
        :deciding="deciding"
        :decided="decided.get(e.id)"
        :comments="comments.get(e.thread) ?? []"
        :looked-at="lookedAt"
        :own="c.own"
        :comment="(text) => say(text, e.thread)"
        @click="cursor.put(e)"
        @decide="decide(e.id, $event)"
        @settle="settle(e.id, $event)"
        @say="sayWords(e.id, $event)"
        @leave="edits?.focus({ preventScroll: true })"
        @finish="ready && act()"
        @again="again(e.id)"
      />
      <button v-if="drawn < shown.length" ref="more" class="more link second" @click="drawn += atOnce">
        {{ count(shown.length - drawn, 'edit') }} more
      </button>
      <section class="whole" aria-label="About the whole">
        <h2>About the whole</h2>
        <TalkThread :comments="comments.get('') ?? []" about="the change as a whole" :looked-at="lookedAt" :say="say" />
      </section>
    </div>
    <Teleport defer to="#margin"
      ><ChangeMargin
        v-if="current"
        :edit="current"
        :edits="shown"
        :sent="c.sentAt"
        :deciding="deciding"
        :effect="open.length ? knockOn.data.value : undefined"
        :wrong="knockOn.isError.value ? words(knockOn.error.value) : ''"
    /></Teleport>
    <Teleport defer to="#foot">
      <FootBar name="Review">
        <template v-if="wrong"
          ><span role="alert">{{ wrong }}</span></template
        >
        <template v-else-if="said"
          ><span role="status">{{ said }}</span></template
        >
        <template v-else-if="deciding"
          ><span>{{ tally }}</span
          ><span class="dim">{{
            draft.unsaved.value
              ? 'not kept yet'
              : draft.restored.value && decided.size
                ? 'as you left it; nothing is written until you finish'
                : 'nothing is written until you finish'
          }}</span></template
        >
        <span v-else class="dim">{{ c.state === 'sent' ? 'waits for a reviewer' : stateWord[c.state] }}</span>
        <button v-if="deciding" class="go" :disabled="!ready || busy" @click="act">Finish</button>
        <button v-else-if="c.own && c.state === 'sent'" class="go" @click="back">Take back</button>
        <button v-else-if="c.accepted" class="go plain" :disabled="busy" @click="undo">Take it back as a change</button>
        <button v-if="!decided.size && next" class="go plain" @click="goNext">Next</button>
      </FootBar>
    </Teleport>
  </template>
</template>

<style scoped>
.scroll {
  overflow: auto;
  flex: 1;
}
.more {
  padding: 11px 18px 11px 54px;
}
.whole {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 11px 18px 18px 54px;
}
</style>
