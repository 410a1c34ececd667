<script setup lang="ts">
// Finds as one types, in the Ledger of the scope.
import { useDebounceFn } from '@vueuse/core'
import { nextTick, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { useKeys } from '@/composables/keys'
import { focusList } from '@/composables/layers'
import { useScope } from '@/composables/scope'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const find = ref<HTMLInputElement>()
const text = ref(typeof route.query.q === 'string' ? route.query.q : '')
watch(
  () => route.query.q,
  (q) => {
    if (document.activeElement !== find.value) text.value = typeof q === 'string' ? q : ''
  },
)
// show goes to what is looked for; what was looked for before has no say any more.
function show() {
  const q = text.value.trim()
  const inLedger = route.path === '/ledger'
  const rest: LocationQueryRaw = { ...(inLedger ? route.query : query.value) }
  delete rest.q
  const to = { path: '/ledger', query: { ...rest, ...(q ? { q } : {}) } }
  return inLedger ? router.replace(to) : router.push(to)
}
let wanted = 0
const search = useDebounceFn((mine: number) => mine === wanted && void show(), 120)
// Enter goes to what was found; Escape lets go of it, box and filter together.
async function settle(keep: boolean) {
  wanted++
  if (!keep) text.value = ''
  const inLedger = route.path === '/ledger'
  if (keep ? text.value.trim() : inLedger) await show()
  find.value?.blur()
  await nextTick()
  if (keep) focusList()
}
useKeys([{ keys: ['/'], does: 'find by name, label or alias', run: () => find.value?.focus() }])
</script>

<template>
  <label class="find">
    <kbd aria-hidden="true">/</kbd>
    <input
      ref="find"
      v-model="text"
      type="search"
      placeholder="find by name, label or alias"
      aria-label="Find packages by name, label or alias"
      maxlength="200"
      @input="search(++wanted)"
      @keydown.esc.prevent="settle(false)"
      @keydown.enter.prevent="settle(true)"
      @keydown.down.prevent="settle(true)"
    />
  </label>
</template>

<style scoped>
.find {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 300px;
  margin: 7px 12px;
  padding: 0 10px;
  border: 1px solid var(--hair);
}
.find:focus-within {
  border-color: var(--ink);
}
.find input {
  flex: 1;
  min-width: 0;
  border: 0;
  outline: 0;
  background: none;
  color: inherit;
  font: inherit;
}
.find input::placeholder {
  color: var(--second);
}
@media (max-width: 1100px) {
  .find {
    width: 220px;
  }
}
@media (max-width: 720px) {
  .find {
    flex: 0 1 150px;
    min-width: 84px;
    width: auto;
    margin: 7px 8px;
  }
  .find kbd {
    display: none;
  }
}
</style>
