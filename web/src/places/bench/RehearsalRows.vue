<script setup lang="ts">
// The release's steps, each with what would become of it on this phone.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import type { Choices } from './run'

type Row = Schemas['BenchRow']
type How = 'as-said' | 'off' | 'quiet' | 'user'
const props = defineProps<{ rows: Row[]; choices: Choices }>()
const emit = defineEmits<{ set: [part: Partial<Choices>] }>()
const others = computed(() => props.rows.filter((r) => r.kind !== 'remove'))
const removals = computed(() => props.rows.filter((r) => r.kind === 'remove'))
// What does not simply go stands first: it is what one has to look at.
const odd = computed(() => removals.value.filter((r) => r.would !== 'goes' || r.off))
const plain = computed(() => removals.value.filter((r) => r.would === 'goes' && !r.off))
const order = computed(() => [...odd.value, ...plain.value])
const cursor = useCursor(order, { name: 'step', of: 'package', key: (r) => String(r.number), as: 'group' })
const word: Record<string, string> = {
  goes: 'goes',
  already: 'gone already',
  absent: 'not on it',
  quietens: 'stays, made quiet',
  refuses: 'it will refuse',
  'left-out': 'left out',
  does: '',
  'to-see': 'see to it',
}
const flip = <T,>(list: T[], one: T) => (list.includes(one) ? list.filter((x) => x !== one) : [...list, one])
function leave(r: Row) {
  if (r.kind === 'remove') emit('set', { leave: flip(props.choices.leave, r.package!) })
  else emit('set', { without: flip(props.choices.without, r.number) })
}
const insteadWord: Record<string, string> = {
  quieten: 'stays, made quiet instead',
  disable: 'switched off instead',
  'remove-for-user': 'removed for the user instead',
}
const fromImage = (r: Row) => r.method === 'remove-from-image' && r.would === 'goes'
const canLeave = (r: Row) =>
  ['goes', 'quietens', 'refuses', 'left-out', 'to-see'].includes(r.would) && r.code !== 'kept'
// How a package is treated on this phone: as the release says, or gentler.
const gentler = computed(() => (r: Row): { how: How; word: string }[] => {
  const said = props.choices
  const now: How = said.quiet?.includes(r.package!)
    ? 'quiet'
    : said.off.includes(r.package!)
      ? 'off'
      : said.user?.includes(r.package!)
        ? 'user'
        : 'as-said'
  const ways: { how: How; word: string }[] = [
    { how: 'user', word: 'for the user only' },
    { how: 'off', word: 'switch off' },
    { how: 'quiet', word: 'make quiet' },
    { how: 'as-said', word: 'as the release says' },
  ]
  const here = cursor.current.value?.number === r.number && ['goes', 'to-see'].includes(r.would)
  const may = r.off || r.would === 'refuses' || here
  // What stays in the image has one gentler way; the others are gentler than that.
  const harsh = r.method === 'remove-from-image'
  return may
    ? ways.filter(
        (w) =>
          w.how !== now &&
          (w.how === 'user') === (harsh && w.how !== 'as-said') &&
          (w.how !== 'off' || r.method === 'remove-for-user' || r.off) &&
          (w.how !== 'as-said' || r.off),
      )
    : []
})
function treat(r: Row, how: How) {
  const without = (list: string[] = []) => list.filter((x) => x !== r.package)
  const { off, quiet, user } = props.choices
  emit('set', {
    off: how === 'off' ? [...without(off), r.package!] : without(off),
    quiet: how === 'quiet' ? [...without(quiet), r.package!] : without(quiet),
    user: how === 'user' ? [...without(user), r.package!] : without(user),
  })
}
useKeys([
  {
    keys: ['x'],
    does: 'leave it out, or take it',
    run: () => {
      const row = cursor.current.value
      if (row && canLeave(row)) leave(row)
    },
  },
])
</script>

<template>
  <section v-bind="cursor.list.value" aria-label="Steps">
    <template v-if="others.length">
      <h2>Before and after</h2>
      <ol>
        <li v-for="r in others" :key="r.number">
          <span class="second n">{{ r.number }}</span>
          <span class="text">{{ r.text }}</span>
          <span :class="r.would === 'to-see' ? 'ochre' : 'second'">{{ r.why || word[r.would] }}</span>
          <span class="acts">
            <button
              v-if="
                r.kind === 'check' &&
                r.would !== 'left-out' &&
                (r.code === 'only-a-person-tells' || r.code === 'seen-to' || r.code === 'lock-code-unknown')
              "
              class="link second"
              @click="emit('set', { seen: flip(choices.seen, r.number) })"
            >
              {{ choices.seen.includes(r.number) ? 'not seen to' : 'I saw to it' }}
            </button>
            <button
              v-if="r.kind !== 'check'"
              class="link second"
              :aria-label="`${choices.without.includes(r.number) ? 'Take' : 'Leave out'} step ${r.number}`"
              @click="leave(r)"
            >
              {{ choices.without.includes(r.number) ? 'take it' : 'leave out' }}
            </button>
          </span>
        </li>
      </ol>
    </template>
    <template
      v-for="part in [
        { title: 'To look at', list: odd },
        { title: 'Goes', list: plain },
      ]"
      :key="part.title"
    >
      <h2 v-if="part.list.length">
        {{ part.title }} <span class="second">{{ part.list.length }}, dependants first</span>
      </h2>
      <ol>
        <li
          v-for="r in part.list"
          :key="r.number"
          v-bind="cursor.row(r)"
          :class="{
            on: cursor.current.value?.number === r.number,
            out: ['left-out', 'absent', 'already'].includes(r.would),
          }"
          @click="cursor.put(r)"
        >
          <span class="second n">{{ r.number }}</span>
          <span class="text"
            ><LoadMark :load="r.load ?? 'unproven'" /><PackageName :name="r.package!" /><span
              v-if="r.label"
              class="second label"
              >{{ r.label }}</span
            ></span
          >
          <span :class="['refuses', 'to-see'].includes(r.would) ? 'ochre' : 'second'"
            >{{
              r.off && r.would !== 'left-out'
                ? insteadWord[r.method!]
                : r.why || (r.would === 'goes' ? '' : word[r.would])
            }}<template v-if="r.comesBack"
              >{{ r.why || r.off ? ';' : '' }} comes back in {{ r.comesBack }} of its trials</template
            ></span
          >
          <span class="acts">
            <button
              v-for="w in gentler(r)"
              :key="w.how"
              class="link second"
              :aria-label="`${w.word}: ${r.package}`"
              @click="treat(r, w.how)"
            >
              {{ w.word }}
            </button>
            <button
              v-if="fromImage(r) && cursor.current.value?.number === r.number"
              class="link second"
              :aria-label="`${r.withData ? 'keep its data' : 'its data, too'}: ${r.package}`"
              @click="emit('set', { withData: flip(choices.withData ?? [], r.package!) })"
            >
              {{ r.withData ? 'keep its data' : 'its data, too' }}
            </button>
            <button
              v-if="canLeave(r)"
              class="link second"
              :aria-label="`${r.would === 'left-out' ? 'Take' : 'Leave out'} ${r.package}`"
              @click="leave(r)"
            >
              {{ r.would === 'left-out' ? 'take it' : 'leave out' }}
            </button>
          </span>
        </li>
      </ol>
    </template>
  </section>
</template>

<style scoped>
h2 {
  padding: 10px 18px 4px;
  border-bottom: 1px solid var(--hair);
}
h2 .second {
  font-weight: 400;
}
li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1.7fr) minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
  min-height: 26px;
  padding: 1px 18px;
  border-bottom: 1px solid var(--row);
}
li.on {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.n {
  text-align: right;
}
.text {
  display: flex;
  gap: 8px;
  align-items: center;
  min-width: 0;
}
.out .text {
  opacity: 0.75;
}
.label {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.acts {
  display: flex;
  gap: 10px;
}
@media (max-width: 720px) {
  li {
    grid-template-columns: 26px minmax(0, 1fr) auto;
  }
  li > :nth-child(3) {
    display: none;
  }
}
</style>
