<script setup lang="ts">
// A run: a sheet that fills in from top to bottom while it happens, for
// everybody who looks; then what came of it.
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '@/api/client'
import { exactTime } from '@/format/dates'
import FootBar from '@/ui/FootBar.vue'
import { useChange } from '@/composables/change'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import BenchFrame from './BenchFrame.vue'
import { placesOf, useBenches } from './bench'
import CheckSheet from './CheckSheet.vue'
import DraftPanel from './DraftPanel.vue'
import RunGain from './RunGain.vue'
import RunLines from './RunLines.vue'
import RunMargin from './RunMargin.vue'
import { progressOf, seconds, stateOf, titleOf, useRun } from './run'
import { sentence } from '@/format/numbers'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const id = String(route.params.id)
const { run, steps, own, gain, brings, here, missing } = useRun(id)
const { benches } = useBenches()
const place = computed(() =>
  (benches.value ?? []).flatMap(placesOf).find((p) => p.phone?.mark && p.phone.mark === run.value?.phone),
)
const n = (state: string) => run.value?.counts[state] ?? 0
const toGo = computed(() => n('waiting') + n('sent'))
// About how long it still takes: what removals took so far, and the waits.
const left = computed(() => {
  const took = steps.value.filter((s) => s.kind === 'remove' && s.state === 'done' && s.took).map((s) => s.took)
  const each = took.length ? [...took].sort((a, b) => a - b)[took.length >> 1]! : 300
  return steps.value
    .filter((s) => s.state === 'waiting' || s.state === 'sent')
    .reduce((sum, s) => sum + (s.kind === 'wait' ? (s.seconds ?? 0) : s.kind === 'restart' ? 40 : each / 1000), 0)
})
const going = computed(() => run.value?.state === 'going')
const canContinue = computed(
  () => !!run.value && ['stopped', 'held', 'interrupted'].includes(run.value.state) && run.value.settled,
)
const changed = computed(() => {
  const gone = new Set<string>()
  for (const s of steps.value)
    if (s.state === 'done' && s.kind === 'remove') gone.add(s.package!)
    else if (s.state === 'done' && s.kind === 'put-back') gone.delete(s.package!)
  return gone.size
})
const settings = computed(
  () =>
    steps.value.filter((s) => s.kind === 'setting' && s.state === 'done').length -
    steps.value.filter((s) => s.kind === 'set-back' && s.state === 'done').length,
)
const { busy, wrong, run: doing } = useChange()
const put = ref(false)
const params = { params: { path: { id } } }
const stop = () => doing(() => ask(api.POST('/api/v1/runs/{id}/stop', params)))
const goOn = () => doing(() => ask(api.POST('/api/v1/runs/{id}/continue', params)))
const look = () => doing(() => ask(api.POST('/api/v1/runs/{id}/look', params)))
const putBack = () =>
  doing(async () => {
    await ask(api.POST('/api/v1/runs/{id}/put-back', { ...params, body: {} }))
    put.value = false
  })
useKeys([
  { keys: ['.'], does: 'stop after this step', run: () => going.value && void stop() },
  { keys: ['c'], does: 'continue', run: () => canContinue.value && here.value && void goOn() },
])
</script>

<template>
  <BenchFrame
    :at="place?.key"
    @update:at="(key?: string) => router.push({ name: 'bench', query: { ...query, at: key } })"
  >
    <section class="sheet" aria-label="Run">
      <div v-if="missing" class="empty">
        <h1>There is no such run</h1>
        <p class="second">It may belong to another installation.</p>
      </div>
      <template v-if="run">
        <header>
          <div>
            <h1>
              {{ titleOf(run) }} <span class="second">on {{ run.phoneName }}</span>
            </h1>
            <p class="second">
              run {{ run.number }} · {{ run.carrier ? run.carrier + ' ' : '' }}{{ run.version }}, Android
              {{ run.android }} · <span :title="exactTime(run.startedAt)">{{ run.person }}</span> ·
              <span :class="{ ochre: ['held', 'interrupted', 'stopped'].includes(run.state) }">{{ stateOf(run) }}</span>
            </p>
          </div>
          <p class="tally" data-testid="counts">
            <span
              ><b>{{ n('done') }}</b> done</span
            >
            <span v-if="n('already')"
              ><b>{{ n('already') }}</b> already</span
            >
            <span v-if="n('absent')"
              ><b>{{ n('absent') }}</b> absent</span
            >
            <span v-if="n('refused')" class="harm"
              ><b>{{ n('refused') }}</b> refused</span
            >
            <span v-if="n('failed')" class="harm"
              ><b>{{ n('failed') }}</b> failed</span
            >
            <span v-if="n('skipped')"
              ><b>{{ n('skipped') }}</b> skipped</span
            >
            <span v-if="n('unknown')" class="ochre"
              ><b>{{ n('unknown') }}</b> unknown</span
            >
            <span v-if="toGo"
              ><b>{{ toGo }}</b> to go<template v-if="going">, about {{ seconds(left) }}</template></span
            >
          </p>
        </header>
        <div
          class="bar"
          role="progressbar"
          aria-label="Run"
          :aria-valuenow="Math.round(100 * progressOf(run))"
          aria-valuemin="0"
          aria-valuemax="100"
        >
          <i :style="{ width: `${100 * progressOf(run)}%` }" />
        </div>
        <div v-if="!run.settled" class="notice" role="status">
          <b>{{ run.why || 'It was interrupted.' }}</b>
          {{
            here
              ? 'The phone is back: it is compared with the journal now.'
              : 'Plug the phone in again: it is compared with the journal then, and the run can go on or be put back.'
          }}
        </div>
        <div v-else-if="run.state === 'held'" class="notice" role="status">
          <b>It stopped by itself: {{ sentence(run.why ?? '') }}</b> See to it and continue, or put back.
        </div>
        <div v-else-if="run.state === 'interrupted'" class="notice" role="status">
          <b>It was interrupted, and compared with the phone since.</b> Nothing is unknown any more: continue, or put
          back.
        </div>
        <RunLines :run="run" :steps="steps" :here="!!here" :at="here" />
        <RunGain v-if="gain && run.state !== 'going'" :gain="gain" :brings="brings" :release="run.releaseId" />
        <CheckSheet v-if="['finished', 'put-back'].includes(run.state) || run.hunts.length" :run="run" :here="!!here" />
        <DraftPanel v-if="['finished', 'put-back'].includes(run.state) && run.settled" :run="run" :own="own" />
      </template>
      <p v-else-if="!missing" class="line second" role="status">Reading the journal.</p>
    </section>
  </BenchFrame>
  <Teleport v-if="run" defer to="#margin"
    ><RunMargin :run="run" :steps="steps" :own="own" :changed="changed"
  /></Teleport>
  <Teleport v-if="run" defer to="#foot">
    <FootBar name="Bench">
      <span v-if="wrong" role="alert">{{ wrong }}</span>
      <template v-if="put">
        <span
          >All {{ changed }} come back, the last first<template v-if="settings">, and settings as they were</template
          >.</span
        >
        <button class="go" :disabled="busy" @click="putBack">Put all back</button>
        <button class="go plain" @click="put = false">Not now</button>
      </template>
      <template v-else-if="going">
        <span>each step is written down before it is sent</span>
        <span class="dim">pull the cable and it can go on, or be put back</span>
        <button class="go" :disabled="busy || run.stopAsked" @click="stop">
          {{ run.stopAsked ? 'Stopping' : 'Stop after this step' }}
        </button>
      </template>
      <template v-else>
        <span v-if="!wrong">{{ stateOf(run) }}</span>
        <span v-if="!here" class="dim">the phone is not attached</span>
        <button v-if="canContinue" class="go" :disabled="busy || !here" @click="goOn">Continue</button>
        <button
          v-if="(changed || settings) && run.settled"
          class="go plain"
          :disabled="busy || !here"
          @click="put = true"
        >
          Put back
        </button>
        <button class="go plain" :disabled="busy || !here" @click="look">Look at it again</button>
      </template>
    </FootBar>
  </Teleport>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 20px;
  padding: 12px 18px 10px;
}
h1 .second {
  font-weight: 400;
}
.tally .harm b,
.tally .ochre b {
  color: inherit;
}
.bar {
  height: 4px;
  background: var(--hair);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--ink);
  transition: width 0.2s;
}
.notice b {
  font-weight: 650;
}
.line {
  padding: 12px 18px;
}
@media (max-width: 720px) {
  header {
    flex-direction: column;
    align-items: stretch;
    gap: 6px;
  }
  .tally {
    justify-content: flex-start;
  }
}
</style>
