<script setup lang="ts">
// Why a step did not end well: the phone's words explained, what other phones
// did, and what can be tried next.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { ago } from '@/format/dates'
import { count } from '@/format/numbers'
import { useChange } from '@/composables/change'
import { useJob } from './job'
import type { Run, RunStep } from './run'

const props = defineProps<{ run: Run; step: RunStep; steps: RunStep[]; here: boolean; at?: Schemas['PhoneAt'] }>()
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
// What the image holds no copy of can come from a backup on the phone's bench.
const backups = useQuery({
  queryKey: computed(() => ['backups', props.at]),
  queryFn: () =>
    ask(
      api.GET('/api/v1/benches/{id}/phones/{handle}/backups', {
        params: { path: { id: props.at!.bench, handle: props.at!.handle } },
      }),
    ).then((r) => r.items),
  enabled: computed(() => !!can('restore') && !!props.at),
})
const backup = computed(() => backups.data.value?.find((b) => b.packages.includes(props.step.package ?? '')))
const job = useJob<unknown, { packages: number; wrong: { why: string }[] }>()
const restore = () =>
  doing(async () => {
    const made = await ask(
      api.POST('/api/v1/backups/{id}/restore', {
        params: { path: { id: backup.value!.id } },
        body: { packages: [props.step.package!] },
      }),
    )
    job.watch(made.job)
  })
const { busy, wrong, run: doing } = useChange()
type By = 'remove-for-user' | 'disable' | 'quieten'
const doInstead = (by: By) =>
  doing(() =>
    ask(api.POST('/api/v1/runs/{id}/steps/{number}/instead', { params: { path: path.value, query: { by } } })),
  )
const doneInstead: Record<string, string> = {
  'remove-for-user': 'Removed for the user',
  disable: 'Switched off',
  quieten: 'Made quiet',
}
// What is gentler than what was tried, and may be tried instead.
const gentler = computed(() =>
  (
    [
      { by: 'remove-for-user', advice: 'remove-for-user', word: 'Remove it for the user instead?' },
      { by: 'disable', advice: 'switch-off', word: 'Switch it off instead?' },
      { by: 'quieten', advice: 'quieten', word: 'Make it quiet instead? It stays.' },
    ] as { by: By; advice: string; word: string }[]
  ).filter((w) => props.step.kind === 'remove' && can(w.advice)),
)
</script>

<template>
  <li class="trouble">
    {{ step.means?.means }} {{ others }}
    <template v-if="instead"
      ><b
        >{{ doneInstead[instead.method!] }} instead{{ instead.state === 'done' ? '' : `: step ${instead.number}` }}.</b
      ></template
    >
    <template v-else-if="gentler.length">
      <template v-for="w in gentler" :key="w.by">
        <b>{{ w.word }}</b>
        <button class="link" :disabled="busy || !here" :aria-label="`do that: ${w.word}`" @click="doInstead(w.by)">
          do that
        </button>
      </template>
      <span class="second">or leave it</span>
    </template>
    <template v-else-if="can('restore')">
      <span v-if="job.result.value?.packages">It was installed from the backup.</span>
      <button v-else-if="backup" class="link" :disabled="busy || job.busy.value" @click="restore">
        install it from the backup of {{ ago(backup.madeAt) }}
      </button>
      <span v-else class="second">No backup on this bench holds it.</span>
      <span v-for="w in job.result.value?.wrong ?? []" :key="w.why" class="harm"> {{ w.why }}</span>
    </template>
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
