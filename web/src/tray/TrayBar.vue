<script setup lang="ts">
import { useDebounce } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { words } from '@/api/client'
import KnockOn from '@/editing/KnockOn.vue'
import { count } from '@/format/numbers'
import { useChange } from '@/composables/change'
import TrayRow from './TrayRow.vue'
import { useScope } from '@/composables/scope'
import { useSending } from './sending'
import { useTray, useTrayForesight, type Edit } from './tray'
import { proposedTitle } from './title'

const { edits, undoable, remove, undo, setReason } = useTray()
const { query } = useScope()
const open = ref(false)
const title = ref('')
const field = ref<HTMLInputElement>()
const why = ref('')
const { busy, wrong, run } = useChange()

// What stays behind when the rest is sent: a tray can become several changes.
const behind = ref(new Set<string>())
const going = computed(() => edits.value.filter((e) => !behind.value.has(e.id)).map((e) => e.id))
const settled = useDebounce(going, 250)
const { check, effect } = useTrayForesight(
  () => settled.value,
  () => open.value,
)
const asked = computed(() => new Map((check.data.value?.edits ?? []).map((e) => [e.edit, e])))
// Where every edit that goes needs as many reviewers for the same reasons, that is
// said once.
const together = computed(() => {
  const [first, ...rest] = going.value.map((id) => asked.value.get(id))
  if (!first || first.needs < 2) return undefined
  return rest.every((c) => c?.needs === first.needs && c.why.join() === first.why.join()) ? first : undefined
})
const revises = computed(() => check.data.value?.revises ?? 0)
// More rows than this are counted, not drawn.
const drawn = 200
const { sent, sendOff } = useSending({ title, why, going, busy, run }, () => {
  behind.value = new Set()
  open.value = edits.value.length > 0
  if (open.value && !title.value) title.value = proposedTitle(edits.value)
})
const packages = computed(() => new Set(edits.value.map((e) => e.package)).size)
const reaches = computed(() => {
  const k = effect.data.value
  if (!k || !edits.value.length) return ''
  if (k.releases) return `would change ${count(k.releases, 'release')}`
  return k.profiles.length ? `would touch ${count(k.profiles.length, 'profile')}` : ''
})
watch(edits, (list) => {
  const here = new Set(list.map((e) => e.id))
  behind.value = new Set([...behind.value].filter((id) => here.has(id)))
})

async function act() {
  if (!open.value) {
    open.value = true
    if (!title.value.trim()) title.value = proposedTitle(edits.value)
    await nextTick()
    field.value?.focus()
    field.value?.select()
    return
  }
  if (!title.value.trim()) return void run(() => Promise.reject(new Error('Say in a line what this is about.')))
  await sendOff()
}
function goes(e: Edit, on: boolean) {
  const set = new Set(behind.value)
  if (on) set.delete(e.id)
  else set.add(e.id)
  behind.value = set
}
const all = (on: boolean) => (behind.value = new Set(on ? [] : edits.value.map((e) => e.id)))
</script>

<template>
  <footer class="tray" aria-label="Tray">
    <div v-if="open && edits.length" class="edits">
      <div class="sheet">
        <ol>
          <TrayRow
            v-for="e in edits.slice(0, drawn)"
            :key="e.id"
            :edit="e"
            :goes="!behind.has(e.id)"
            :check="asked.get(e.id)"
            :tell="!together"
            @out="run(() => remove(e))"
            @goes="goes(e, $event)"
            @reason="run(() => setReason(e.id, $event))"
          />
        </ol>
        <p v-if="edits.length > drawn" class="second">and {{ edits.length - drawn }} more</p>
        <p v-if="edits.length > 1" class="split second">
          {{ going.length }} of {{ count(edits.length, 'edit') }} go in this change.
          <button class="link" @click="all(true)">all</button> <button class="link" @click="all(false)">none</button>
          <template v-if="behind.size"> What stays can be sent as a change of its own.</template>
        </p>
        <p v-if="together">
          {{ going.length === 1 ? 'It needs' : `All ${going.length} need` }} {{ together.needs }} reviewers:
          {{ together.why.join('; ') }}.
        </p>
        <p v-if="revises">This is the next round of change {{ revises }}; what was said there stays.</p>
        <label class="title">
          <span>What this is about</span>
          <input
            ref="field"
            v-model="title"
            class="field"
            maxlength="200"
            placeholder="Lyra 5 on 15.0.0: lock pictures"
            @keydown.enter="act"
          />
        </label>
        <label class="title">
          <span>Why the whole</span>
          <input v-model="why" class="field" maxlength="5000" placeholder="if the edits do not say it" />
        </label>
        <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
      </div>
      <section class="effect" aria-label="Knock-on">
        <h2>Knock-on</h2>
        <KnockOn v-if="effect.data.value" :effect="effect.data.value" />
        <p v-else-if="effect.isError.value" class="harm">{{ words(effect.error.value) }}</p>
        <p v-else class="second" aria-busy="true">working it out…</p>
      </section>
    </div>
    <div class="bar">
      <button class="handle" :aria-expanded="open" :disabled="!edits.length" @click="open = !open">
        <b>Tray</b>
        <template v-if="edits.length">
          <span>{{ count(edits.length, 'edit') }} not sent</span>
          <span class="dim">on {{ count(packages, 'package') }}</span>
          <span v-if="reaches" class="dim">{{ reaches }}</span>
        </template>
        <span v-else class="dim">empty; every edit you make is collected here</span>
      </button>
      <button v-if="undoable.length" class="go plain" :disabled="busy" @click="run(undo)">Put back what left</button>
      <span v-if="sent && !edits.length" class="dim" role="status"
        >Sent. <router-link :to="{ path: `/review/${sent}`, query }">See the change</router-link></span
      >
      <button v-if="edits.length" class="go" :disabled="busy || (open && !going.length)" @click="act">
        {{ open ? (behind.size ? `Send ${going.length}` : 'Send') : 'Look and send' }}
      </button>
    </div>
  </footer>
</template>

<style scoped>
.tray {
  grid-column: 1 / -1;
}
.bar {
  display: flex;
  align-items: center;
  gap: 18px;
  height: 36px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-ink);
}
.handle {
  display: flex;
  gap: 18px;
  height: 100%;
  align-items: center;
  flex: 1;
}
.handle:disabled {
  opacity: 1;
}
.dim {
  color: var(--bar-second);
}
.go {
  background: var(--bar-ink);
  color: var(--bar);
  font-weight: 600;
  padding: 3px 14px;
}
.go.plain {
  background: none;
  color: inherit;
  box-shadow: inset 0 0 0 1px var(--bar-second);
}
.edits {
  display: grid;
  grid-template: minmax(0, 1fr) / minmax(0, 1fr) 288px;
  background: var(--sheet);
  border-top: 1px solid var(--ink);
  max-height: 56vh;
}
.sheet {
  overflow: auto;
  padding: 6px 14px 12px;
}
.effect {
  overflow: auto;
  padding: 10px 14px;
  border-left: 1px solid var(--hair);
  background: var(--soft);
}
.split {
  margin-top: 6px;
}
.title {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 8px;
  font-weight: 600;
}
.title span {
  width: 130px;
}
.title .field {
  flex: 1;
  font-weight: 400;
}
@media (max-width: 720px) {
  .edits {
    grid-template: minmax(0, 1fr) auto / minmax(0, 1fr);
    overflow: auto;
  }
}
</style>
