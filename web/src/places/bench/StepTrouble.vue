<script setup lang="ts">
// Why a step did not end well: the phone's words explained, what other phones
// did, and what can be tried next.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '@/api/client'
import { count } from '@/evidence/words'
import { useDoing } from '@/shell/doing'
import type { Run, RunStep } from './run'

const props = defineProps<{ run: Run; step: RunStep; steps: RunStep[]; here: boolean }>()
const path = computed(() => ({ id: props.run.id, number: props.step.number }))
const met = useQuery({
  queryKey: computed(() => ['met', path.value]),
  queryFn: () =>
    ask(api.GET('/api/v1/runs/{id}/steps/{number}/met', { params: { path: path.value } })).then((r) => r.items),
  enabled: computed(() => props.step.kind === 'remove'),
})
const others = computed(() => {
  const list = met.data.value ?? []
  const here = list.find((m) => m.build === props.run.buildId)
  const let_ = list.filter((m) => m.build !== props.run.buildId && m.let > 0)
  const parts: string[] = []
  if (here?.refused) parts.push(`${count(here.refused, 'phone')} of this build refused it before.`)
  if (here?.let) parts.push(`${count(here.let, 'phone')} of this build let it go.`)
  if (let_[0]) parts.push(`On ${let_[0].version} ${count(let_[0].let, 'phone')} let it go.`)
  return parts.join(' ')
})
const instead = computed(() => props.steps.find((s) => s.again === props.step.number))
const can = (what: string) => props.step.means?.try.includes(what)
const { busy, wrong, run: doing } = useDoing()
const switchOff = () =>
  doing(() => ask(api.POST('/api/v1/runs/{id}/steps/{number}/instead', { params: { path: path.value } })))
</script>

<template>
  <li class="trouble">
    {{ step.means?.means }} {{ others }}
    <template v-if="instead"
      ><b>Switched off instead{{ instead.state === 'done' ? '' : `: step ${instead.number}` }}.</b></template
    >
    <template v-else-if="can('switch-off') && step.kind === 'remove' && step.method !== 'disable'">
      <b>Switch it off instead?</b>
      <button class="link" :disabled="busy || !here" @click="switchOff">do that</button>
      <span class="second">or leave it</span>
    </template>
    <span v-else-if="can('restore')" class="second">A backup on this bench may bring it back.</span>
    <span v-if="wrong" class="harm" role="alert"> {{ wrong }}</span>
  </li>
</template>

<style scoped>
.trouble {
  padding: 6px 18px 8px 82px;
  border-bottom: 1px solid var(--row);
}
b {
  font-weight: 650;
}
button {
  margin: 0 6px;
}
@media (max-width: 720px) {
  .trouble {
    padding-left: 18px;
  }
}
</style>
