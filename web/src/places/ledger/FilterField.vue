<script setup lang="ts">
// The filter's field: offers what could be written next, and shows a mistake
// at its place.
import { useDebounceFn } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { api, ask, ProblemError, type Schemas } from '@/api/client'
import { focusList } from '@/composables/layers'
import { bytesOf, unitsAt } from '@/format/offsets'

type Mistake = Schemas['Mistake']

const props = defineProps<{ error: unknown }>()
// The filter that holds; what is being written may not be one yet.
const model = defineModel<string>({ required: true })
const text = ref(model.value)
watch(model, (now) => {
  if (now !== text.value.trim()) text.value = now
})
const field = ref<HTMLInputElement>()
const offers = ref<Schemas['Completion'][]>([])
const at = ref(-1)
const wrong = ref<Mistake>()

// A mistake is found while writing, or by the Ledger in an address.
const mistake = computed(() => {
  const e = props.error
  const said =
    e instanceof ProblemError && text.value.trim() === model.value
      ? (e.errors[0]?.value as Mistake | undefined)
      : undefined
  const m = wrong.value ?? said
  if (!m) return undefined
  const from = unitsAt(text.value, m.start)
  const to = Math.max(unitsAt(text.value, m.end), from)
  return {
    words: m.words,
    before: text.value.slice(0, from),
    bad: text.value.slice(from, to) || '‸',
    after: text.value.slice(to),
    expected: m.expected.slice(0, 20),
  }
})

// checkNow asks what is wrong and what could come next; a filter without a
// mistake holds from then on.
async function checkNow() {
  const q = text.value
  const before = q.slice(0, field.value?.selectionStart ?? q.length)
  const word = /[^\s()]*$/.exec(before)?.[0] ?? ''
  try {
    const found = await ask(api.GET('/api/v1/filter', { params: { query: { q, at: bytesOf(before) } } }))
    if (q !== text.value) return // more was written meanwhile
    // A bare word of one letter begins too many things to be worth a list.
    offers.value = word.length < 2 || document.activeElement !== field.value ? [] : found.items.slice(0, 12)
    wrong.value = found.mistake
  } catch {
    wrong.value = undefined // the Ledger will say what is the matter
  }
  at.value = -1
  if (!wrong.value) model.value = q.trim()
}
const check = useDebounceFn(checkNow, 70)
// Enter goes to the rows once the filter holds; Escape lets go of it.
async function settle(e: KeyboardEvent) {
  hide()
  if (e.key === 'Escape') {
    text.value = model.value = ''
    wrong.value = undefined
  } else if (text.value.trim() !== model.value) await checkNow()
  if (wrong.value) return
  field.value?.blur()
  await nextTick()
  focusList()
}
function write() {
  hide()
  void check()
}
function hide() {
  offers.value = []
  at.value = -1
}
function take(c: Schemas['Completion']) {
  const from = unitsAt(text.value, c.start)
  const to = unitsAt(text.value, c.end)
  text.value = text.value.slice(0, from) + c.text + text.value.slice(to)
  hide()
  const cursor = from + c.text.length
  void nextTick(() => {
    field.value?.focus()
    field.value?.setSelectionRange(cursor, cursor)
    void check()
  })
}
function press(e: KeyboardEvent) {
  const chosen = offers.value[at.value]
  if (e.key === 'ArrowDown' && offers.value.length) at.value = Math.min(at.value + 1, offers.value.length - 1)
  else if (e.key === 'ArrowUp' && offers.value.length) at.value = Math.max(at.value - 1, -1)
  else if ((e.key === 'Tab' || e.key === 'Enter') && chosen) take(chosen)
  else if (e.key === 'Escape' && offers.value.length) hide()
  else if (e.key === 'Escape' || e.key === 'Enter') return void settle(e)
  else return
  e.preventDefault()
  e.stopPropagation()
}
</script>

<template>
  <div class="filter">
    <input
      ref="field"
      v-model="text"
      class="mono"
      role="combobox"
      :aria-expanded="offers.length > 0"
      aria-controls="filter-offers"
      :aria-activedescendant="at >= 0 ? `offer-${at}` : undefined"
      :aria-invalid="!!mistake"
      placeholder="filter: words, or load:loose ceiling<20%"
      aria-label="Filter the rows"
      maxlength="2000"
      spellcheck="false"
      autocomplete="off"
      @input="write"
      @keydown="press"
      @blur="hide"
    />
    <ul v-show="offers.length" id="filter-offers" role="listbox" aria-label="What could be written here">
      <li
        v-for="(c, i) in offers"
        :id="`offer-${i}`"
        :key="c.text"
        role="option"
        :aria-selected="i === at"
        :class="{ at: i === at }"
        @mousedown.prevent="take(c)"
      >
        <span class="mono">{{ c.text }}</span> <span class="second">{{ c.means }}</span>
      </li>
    </ul>
    <p v-if="mistake" class="mistake" role="alert">
      <span class="mono"
        ><span>{{ mistake.before }}</span
        ><mark>{{ mistake.bad }}</mark
        ><span>{{ mistake.after }}</span></span
      >
      <b>{{ mistake.words }}</b>
      <span v-if="mistake.expected.length" class="second">there are {{ mistake.expected.join(', ') }}</span>
    </p>
  </div>
</template>

<style scoped>
.filter {
  position: relative;
  flex: 1;
  min-width: 0;
}
input {
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--ink);
  outline: 0;
  padding: 3px 0;
  background: none;
  color: inherit;
  font-size: 13px;
}
input:focus {
  border-bottom-color: var(--ring);
  box-shadow: 0 1px var(--ring);
}
input::placeholder {
  color: var(--second);
}
ul,
.mistake {
  position: absolute;
  z-index: 5;
  top: 100%;
  left: 0;
  min-width: 340px;
  max-width: 100%;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
li {
  display: flex;
  gap: 14px;
  justify-content: space-between;
  padding: 3px 10px;
  cursor: pointer;
}
li.at,
li:hover {
  background: var(--picked);
}
.mistake {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding: 6px 10px;
  border-color: var(--harm);
}
mark {
  background: none;
  color: inherit;
  text-decoration: underline wavy var(--harm);
  text-underline-offset: 3px;
}
b {
  font-weight: 600;
}
</style>
