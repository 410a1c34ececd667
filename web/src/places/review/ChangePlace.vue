<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { ago, count, exactTime, stateWord } from '@/evidence/words'
import FootBar from '@/shell/FootBar.vue'
import { useKeys } from '@/shell/keys'
import { useScope } from '@/shell/scope'
import { useSession } from '@/shell/session'
import { useTray } from '@/shell/tray'
import ChangeMargin from './ChangeMargin.vue'
import { useReview, type Verdict } from './change'
import EditSheet from './EditSheet.vue'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const { may } = useSession()
const { reopen } = useTray()
const client = useQueryClient()
const id = computed(() => String(route.params.id))
const { change, decided, open, wrong, busy, finish } = useReview(id)
const c = computed(() => change.data.value)
const deciding = computed(() => !!c.value && c.value.state === 'sent' && !c.value.own && may('reviewer'))
const at = ref(0)
const current = computed(() => c.value?.review[at.value])
const tally = computed(() => {
  const n = { accepted: 0, returned: 0, 'turned-down': 0 }
  for (const d of decided.values()) n[d.verdict]++
  const parts = []
  if (n.accepted) parts.push(`${n.accepted} to accept`)
  if (n.returned) parts.push(`${n.returned} to return`)
  if (n['turned-down']) parts.push(`${n['turned-down']} to turn down`)
  parts.push(`${open.value.length - decided.size} open`)
  return parts.join(', ')
})
// A return needs words; only then is it ready to be written.
const ready = computed(
  () => decided.size > 0 && [...decided.values()].every((d) => d.verdict !== 'returned' || d.words.trim() !== ''),
)

function decide(edit: string, verdict?: Verdict) {
  if (!verdict) decided.delete(edit)
  else decided.set(edit, { verdict, words: decided.get(edit)?.words ?? '' })
  if (verdict === 'returned')
    void nextTick(() => document.querySelector<HTMLTextAreaElement>(`#words-${edit} textarea`)?.focus())
  else if (verdict && at.value < (c.value?.review.length ?? 0) - 1) at.value++
}
const press = (verdict: Verdict) => () => {
  if (deciding.value && current.value?.state === 'open') decide(current.value.id, verdict)
}
function move(by: number) {
  at.value = Math.max(0, Math.min(at.value + by, (c.value?.review.length ?? 1) - 1))
  void nextTick(() => document.getElementById(`edit-${at.value}`)?.scrollIntoView({ block: 'nearest' }))
}
useKeys([
  { keys: ['j', 'ArrowDown'], does: 'next edit', run: () => move(1) },
  { keys: ['k', 'ArrowUp'], does: 'edit before', run: () => move(-1) },
  { keys: ['a'], does: 'accept it', run: press('accepted') },
  { keys: ['r'], does: 'return it with words', run: press('returned') },
  { keys: ['d'], does: 'turn it down', run: press('turned-down') },
  {
    keys: ['u', 'Escape'],
    does: 'back to the queue',
    run: () => void router.push({ path: '/review', query: query.value }),
  },
])
async function act() {
  if (await finish()) at.value = 0
}
const said = ref('')
async function takeBack() {
  try {
    await ask(api.POST('/api/v1/changes/{id}/take-back', { params: { path: { id: id.value } } }))
    await Promise.all(
      ['tray', 'session', 'changes', 'change'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    )
    said.value = 'Taken back: its edits are in your tray again.'
  } catch (e) {
    wrong.value = words(e)
  }
}
async function again(edit: string) {
  try {
    await reopen(edit)
    said.value = 'It is in your tray again, with the words that came back.'
  } catch (e) {
    wrong.value = words(e)
  }
}
</script>

<template>
  <div v-if="change.isError.value" class="empty">
    <h1>No change</h1>
    <p class="second">{{ words(change.error.value) }}</p>
    <router-link class="act" :to="{ path: '/review', query }">To the queue</router-link>
  </div>
  <template v-else-if="c">
    <header>
      <div>
        <h1 dir="auto">{{ c.title }}</h1>
        <p class="second">
          change {{ c.number }}, sent <span :title="exactTime(c.sentAt)">{{ ago(c.sentAt) }}</span> by
          {{ c.own ? 'you' : c.author }}, {{ c.authorAccepted }} of {{ c.authorSent }} earlier edits accepted ·
          {{ count(c.edits, 'edit') }}
        </p>
      </div>
      <router-link class="second" :to="{ path: '/review', query }">the queue</router-link>
    </header>
    <p v-if="c.own && c.state === 'sent'" class="notice">This is yours: somebody else has to decide about it.</p>
    <div class="scroll" tabindex="0" role="region" aria-label="Edits">
      <EditSheet
        v-for="(e, i) in c.review"
        :id="`edit-${i}`"
        :key="e.id"
        :edit="e"
        :number="i + 1"
        :picked="i === at"
        :deciding="deciding"
        :decided="decided.get(e.id)"
        :own="c.own"
        @click="at = i"
        @decide="decide(e.id, $event)"
        @say="decided.set(e.id, { verdict: decided.get(e.id)!.verdict, words: $event })"
        @again="again(e.id)"
      />
    </div>
    <Teleport defer to="#margin"><ChangeMargin v-if="current" :edit="current" :author="c.author" /></Teleport>
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
          ><span class="dim">nothing is written until you finish</span></template
        >
        <span v-else class="dim">{{ c.state === 'sent' ? 'waits for a reviewer' : stateWord[c.state] }}</span>
        <button v-if="deciding" class="go" :disabled="!ready || busy" @click="act">Finish</button>
        <button v-else-if="c.own && c.state === 'sent'" class="go" @click="takeBack">Take back</button>
      </FootBar>
    </Teleport>
  </template>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  padding: 13px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.scroll {
  overflow: auto;
  flex: 1;
}
</style>
