<script setup lang="ts">
// The Desk of an installation that has nothing yet: what its keeper does first,
// and what it can be filled with.
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, asForm, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'

const router = useRouter()
const { start: s } = defineProps<{ start: Schemas['FirstStart'] }>()
const emit = defineEmits<{ filling: [] }>()
const steps = computed(() => [
  { done: s.others, words: 'Invite somebody', why: 'Nobody decides about their own changes.', to: '/people' },
  { done: s.benched, words: 'Bring phones in', why: 'Attach one in this browser, or add a bench.', to: '/bench' },
  { done: s.captured, words: 'Capture the first phone', why: 'What it has makes the Ledger.', to: '/bench' },
  {
    done: s.ruled,
    words: 'Let the rules hold',
    why: 'How many reviewers an edit needs, when sessions end.',
    to: '/rules',
  },
])
const { busy, wrong, run } = useChange('changes', 'people')
const take = () =>
  run(async () => {
    const { id } = await ask(api.POST('/api/v1/first-start/starter'))
    await router.push({ name: 'change', params: { id } })
  })
// Asked twice: there is no way back.
const sure = ref(false)
const looking = ref(false)
const look = () =>
  run(async () => {
    looking.value = true
    emit('filling')
    await ask(api.POST('/api/v1/first-start/sample'))
    location.assign('/ledger')
  }).finally(() => (looking.value = false))
const file = ref<HTMLInputElement>()
const bring = () =>
  run(async () => {
    const chosen = file.value?.files?.[0]
    if (!chosen) return
    emit('filling')
    await ask(api.POST('/api/v1/catalogue', asForm([chosen])))
    location.assign('/ledger')
  })
</script>

<template>
  <section v-if="looking || s.filling" class="start" aria-label="First start">
    <h1>The made-up world is coming in</h1>
    <p role="status" class="second">It takes half a minute. Until then each place shows only a part of it.</p>
  </section>
  <section v-else class="start" aria-label="First start">
    <h1>This installation is new</h1>
    <p class="second">Four things first. Each is ticked once it is done, in whatever order.</p>
    <ol>
      <li v-for="step in steps" :key="step.words" :class="{ done: step.done }">
        <span class="tick" :aria-label="step.done ? 'done' : 'to do'" role="img">{{ step.done ? '✓' : '○' }}</span>
        <router-link class="link" :to="step.to">{{ step.words }}</router-link>
        <span class="second">{{ step.why }}</span>
      </li>
    </ol>
    <h2>So that it is not empty</h2>
    <div class="ways">
      <div>
        <p>
          <b>What the platform’s own packages are.</b> {{ s.packages }} descriptions with their functions and where that
          is documented. They come as one change to look through; none is a trial, and every standing stays untried.
        </p>
        <router-link v-if="s.starter" class="act" :to="{ name: 'change', params: { id: s.starter } }">
          Look at the change
        </router-link>
        <button v-else class="act first" :disabled="busy" @click="take">Take it in</button>
      </div>
      <div>
        <p>
          <b>A catalogue of another installation</b>, as it was exported there: all of it, with its people, who get a
          new password by a link of yours.
        </p>
        <form @submit.prevent="bring">
          <input ref="file" type="file" accept=".json,.zip" required aria-label="An exported catalogue" />
          <button class="act" :disabled="busy">Bring it in</button>
        </form>
      </div>
      <div v-if="s.sample">
        <p>
          <b>A made-up world</b> to look around in: makers, phones, people without passwords, evidence, published
          releases. It does not come out again; begin anew with an empty database for your own.
        </p>
        <button v-if="!sure" class="act" :disabled="busy" @click="sure = true">Fill it with the made-up world</button>
        <p v-else class="sure">
          <button class="act" :disabled="busy" @click="look">Fill it, for good</button>
          <button class="act" :disabled="busy" @click="sure = false">Leave it</button>
        </p>
      </div>
    </div>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
.start {
  flex: none;
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
ol {
  margin: 10px 0 16px;
}
li {
  display: grid;
  grid-template-columns: 18px 190px 1fr;
  gap: 6px;
  padding: 3px 0;
}
.done .link {
  color: var(--second);
}
.ways {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 32px;
  margin-top: 6px;
  max-width: 860px;
}
.ways p {
  margin-bottom: 8px;
}
.sure,
form {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
@media (max-width: 900px) {
  .ways,
  li {
    grid-template-columns: 18px 1fr;
  }
  .ways {
    grid-template-columns: 1fr;
  }
  li .second {
    grid-column: 2;
  }
}
</style>
