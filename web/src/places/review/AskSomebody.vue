<script setup lang="ts">
// Asks a named person to look at a change.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import PopMenu from '@/ui/PopMenu.vue'
import { useSession } from '@/composables/session'

const props = defineProps<{
  authorId: string
  asked: Schemas['Asked'][]
  // askPerson tells whether the person was asked; what was not stays written.
  askPerson: (person: string, words: string) => Promise<boolean>
}>()
const { person } = useSession()
const people = useQuery({ queryKey: ['people'], queryFn: () => ask(api.GET('/api/v1/people')).then((r) => r.items) })
const others = computed(() =>
  (people.data.value ?? []).filter((p) => p.id !== person.value?.id && p.id !== props.authorId),
)
const whom = ref('')
const words = ref('')
const busy = ref(false)
async function send(close: () => void) {
  busy.value = true
  if (await props.askPerson(whom.value, words.value.trim())) {
    words.value = whom.value = ''
    close()
  }
  busy.value = false
}
</script>

<template>
  <PopMenu word="ask somebody">
    <template #default="{ close }">
      <form @submit.prevent="send(close)">
        <select v-model="whom" class="field" aria-label="Whom">
          <option value="" disabled>whom</option>
          <option v-for="p in others" :key="p.id" :value="p.id">{{ p.name }}, {{ p.role }}</option>
        </select>
        <input v-model="words" class="field" maxlength="500" placeholder="what about" aria-label="What about" />
        <button class="act" :disabled="busy || !whom">Ask</button>
      </form>
      <p v-for="a in asked" :key="a.personId" class="second">
        {{ a.by }} asked {{ a.person }}{{ a.words ? `: “${a.words}”` : '' }}, {{ a.answered ? 'answered' : 'waits' }}
      </p>
    </template>
  </PopMenu>
</template>

<style scoped>
form {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin-bottom: 6px;
}
</style>
