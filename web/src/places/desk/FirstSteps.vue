<script setup lang="ts">
// Three things to try, for who is new here; each goes once it was taken.
import { useRouter } from 'vue-router'
import { useSession } from '@/composables/session'
import { useFirstSteps, type FirstStep } from './first'

const { person } = useSession()
const router = useRouter()
const { steps, take } = useFirstSteps(() => person.value)
// One that is done by doing something goes when that was done.
function go(step: FirstStep) {
  if (!step.done) take(step.key)
  void router.push(step.to)
}
</script>

<template>
  <section v-if="steps.length" class="first" aria-label="First steps">
    <h2>To begin with</h2>
    <ul>
      <li v-for="s in steps" :key="s.key">
        <a class="link" :href="s.to" @click.prevent="go(s)">{{ s.words }}</a>
      </li>
    </ul>
    <button class="link second" @click="take('all')">I know my way</button>
  </section>
</template>

<style scoped>
.first {
  flex: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: baseline;
  padding: 9px 18px;
  background: var(--soft);
  border-bottom: 1px solid var(--hair);
}
h2 {
  font-size: 13px;
}
ul {
  display: flex;
  flex: 1;
  flex-wrap: wrap;
  gap: 4px 18px;
}
</style>
