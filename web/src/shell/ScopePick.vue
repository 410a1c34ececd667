<script setup lang="ts">
// One step of the scope: what is chosen, and a type-ahead to choose another.
import { computed, ref } from 'vue'

const props = defineProps<{
  name: string
  empty: string
  items: { value: string; title: string; note?: string }[]
  value?: string
}>()
const emit = defineEmits<{ pick: [value: string | undefined] }>()

const open = ref(false)
const text = ref('')
const at = ref(0)
const shown = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/)
  const fits = props.items.filter((i) => words.every((w) => i.title.toLowerCase().includes(w)))
  return text.value ? fits : [{ value: '', title: props.empty, note: undefined as string | undefined }, ...fits]
})
const title = computed(
  () => props.items.find((i) => i.value === props.value)?.title ?? (props.value ? '…' : props.empty),
)

function show() {
  text.value = ''
  at.value = Math.max(0, props.items.findIndex((i) => i.value === props.value) + 1)
}
function pick(value?: string) {
  open.value = false
  emit('pick', value || undefined)
}
function press(e: KeyboardEvent) {
  if (e.key === 'ArrowDown') at.value = Math.min(at.value + 1, shown.value.length - 1)
  else if (e.key === 'ArrowUp') at.value = Math.max(at.value - 1, 0)
  else if (e.key === 'Enter') pick(shown.value[at.value]?.value)
  else return
  e.preventDefault()
}
</script>

<template>
  <v-menu v-model="open" location="bottom start" :close-on-content-click="false" @update:model-value="show">
    <template #activator="{ props: menu }">
      <button class="pick" v-bind="menu" :aria-label="`${name}: ${title}`">
        <small>{{ name }}</small>
        <b :class="{ second: !value }">{{ title }}</b>
      </button>
    </template>
    <div class="list">
      <input
        v-model="text"
        v-focus
        role="combobox"
        aria-expanded="true"
        :aria-controls="`pick-${name}`"
        :aria-activedescendant="`pick-${name}-${at}`"
        :placeholder="name"
        :aria-label="`Find a ${name.toLowerCase()}`"
        @input="at = 0"
        @keydown="press"
      />
      <ul :id="`pick-${name}`" role="listbox" :aria-label="name">
        <li
          v-for="(item, i) in shown"
          :id="`pick-${name}-${i}`"
          :key="item.value"
          role="option"
          :aria-selected="item.value === (value ?? '')"
          :class="{ at: i === at }"
          @click="pick(item.value)"
        >
          <span>{{ item.title }}</span>
          <span v-if="item.note" class="second">{{ item.note }}</span>
        </li>
        <li v-if="shown.length === 0" class="second" role="option" aria-selected="false">nothing fits</li>
      </ul>
    </div>
  </v-menu>
</template>

<style scoped>
.pick {
  display: flex;
  flex-direction: column;
  justify-content: center;
  min-width: 120px;
  max-width: 220px;
  padding: 0 14px;
  border-right: 1px solid var(--hair);
}
.pick:hover {
  background: var(--soft);
}
.pick:focus-visible {
  outline-offset: -2px;
}
small {
  font-size: 11px;
  line-height: 1.1;
  color: var(--second);
}
b {
  font-weight: 600;
  line-height: 1.35;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.list {
  width: 260px;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
.list input {
  width: 100%;
  padding: 8px 14px;
  border: 0;
  border-bottom: 1px solid var(--hair);
  outline: 0;
  background: none;
  color: inherit;
  font: inherit;
}
ul {
  max-height: 340px;
  overflow: auto;
}
li {
  display: flex;
  justify-content: space-between;
  padding: 5px 14px;
  cursor: pointer;
}
li.at {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
li[aria-selected='true'] {
  font-weight: 650;
}
</style>
