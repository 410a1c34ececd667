<script setup lang="ts">
// Who is to see to a line instead, and what they should know.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import { useSession } from '@/composables/session'

const emit = defineEmits<{ to: [id: string, name: string, words: string]; close: [] }>()
const { person } = useSession()
const people = useQuery({ queryKey: ['people'], queryFn: () => ask(api.GET('/api/v1/people')).then((r) => r.items) })
const others = computed(() => (people.data.value ?? []).filter((p) => p.id !== person.value?.id))
const whom = ref('')
const words = ref('')
const give = () => emit('to', whom.value, others.value.find((p) => p.id === whom.value)?.name ?? '', words.value.trim())
</script>

<template>
  <form class="hand" @submit.prevent="whom && give()" @keydown.esc.stop="emit('close')">
    <span class="second">hand it to</span>
    <select v-model="whom" class="field" aria-label="Whom">
      <option value="" disabled>whom</option>
      <option v-for="p in others" :key="p.id" :value="p.id">{{ p.name }}, {{ p.role }}</option>
    </select>
    <input v-model="words" class="field words" maxlength="500" placeholder="what they should know" aria-label="Words" />
    <button class="act" :disabled="!whom">Hand over</button>
  </form>
</template>

<style scoped>
.hand {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.words {
  flex: 1 1 180px;
}
</style>
