<script setup lang="ts">
// What was tried on the phone afterwards, by ticking: what every phone must
// still do, and what this package is said to be for.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import type { Subject } from './dialogs'
import { slugWords } from '@/format/vocabulary'

const props = defineProps<{ subjects: Subject[] }>()
const tried = defineModel<string[]>({ required: true })
const always = ['restart', 'unlock', 'a call', 'a message', 'camera', 'keyboard', 'mobile data', 'wi-fi', 'settings']
const name = computed(() => (props.subjects.length === 1 ? props.subjects[0]!.name : ''))
const dossier = useQuery({
  queryKey: computed(() => ['functions', name.value]),
  enabled: computed(() => name.value !== ''),
  queryFn: () => ask(api.GET('/api/v1/packages/{name}', { params: { path: { name: name.value } } })),
})
const own = ref<string[]>([])
const offered = computed(() => [
  ...new Set([...(dossier.data.value?.functions ?? []).map(slugWords), ...always, ...own.value]),
])
const more = ref('')
function add() {
  const text = more.value.trim()
  if (!text) return
  own.value.push(text)
  if (!tried.value.includes(text)) tried.value = [...tried.value, text]
  more.value = ''
}
</script>

<template>
  <fieldset>
    <legend>What was tried afterwards, and worked</legend>
    <label v-for="check in offered" :key="check" :class="{ on: tried.includes(check) }"
      ><input v-model="tried" type="checkbox" :value="check" /> {{ check }}</label
    >
    <input
      v-model="more"
      class="field"
      placeholder="something else"
      aria-label="Something else that was tried"
      maxlength="100"
      @keydown.enter.prevent="add"
      @blur="add"
    />
  </fieldset>
</template>

<style scoped>
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
label {
  display: inline-flex;
  gap: 5px;
  align-items: center;
  cursor: pointer;
}
.field {
  width: 140px;
}
</style>
