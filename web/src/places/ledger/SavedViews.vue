<script setup lang="ts">
// Views of the Ledger that people keep under a name: filter, groups and order.
// The scope stays what it is.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { viewIn, viewQuery, type View } from './view'

const props = defineProps<{ view: View }>()
const emit = defineEmits<{ show: [view: View] }>()
const views = useQuery({ queryKey: ['views'], queryFn: () => ask(api.GET('/api/v1/views')).then((r) => r.items) })
const name = ref('')
const shared = ref(false)
const { wrong, run } = useChange('views')
const now = computed(() => viewQuery(props.view))
const isNow = (v: Schemas['SavedView']) =>
  JSON.stringify(viewQuery(viewIn({ ...v.view }))) === JSON.stringify(now.value)

function save() {
  void run(async () => {
    await ask(api.POST('/api/v1/views', { body: { name: name.value.trim(), shared: shared.value, view: now.value } }))
    name.value = ''
  })
}
function forget(id: string) {
  void run(() => ask(api.DELETE('/api/v1/views/{id}', { params: { path: { id } } })))
}
</script>

<template>
  <ul v-if="views.data.value?.length">
    <li v-for="v in views.data.value" :key="v.id">
      <button class="link" :aria-current="isNow(v) || undefined" @click="emit('show', viewIn({ ...v.view }))">
        {{ v.name }}
      </button>
      <span class="second mono">{{ v.view.q }}</span>
      <span v-if="v.shared" class="second">{{ v.own ? 'shared' : `by ${v.by}` }}</span>
      <button v-if="v.own" class="link second" :aria-label="`Forget ${v.name}`" @click="forget(v.id)">forget</button>
    </li>
  </ul>
  <p v-else class="second">Keep a filter, grouping and order under a name to come back to it.</p>
  <form @submit.prevent="save">
    <input v-model="name" class="field" placeholder="name of this view" aria-label="Name of this view" maxlength="80" />
    <label><input v-model="shared" type="checkbox" /> for everybody</label>
    <button class="act quiet" :disabled="!name.trim()">Keep</button>
  </form>
  <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
</template>

<style scoped>
li {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 2px 0;
  white-space: nowrap;
}
li .mono {
  flex: 1;
  max-width: 220px;
  overflow: hidden;
  text-overflow: ellipsis;
}
[aria-current] {
  font-weight: 650;
}
form {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 10px;
  padding-top: 10px;
  border-top: 1px solid var(--hair);
  white-space: nowrap;
}
</style>
