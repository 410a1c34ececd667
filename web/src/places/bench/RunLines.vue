<script setup lang="ts">
// The journal's lines. What went well is folded once it is past; what ended
// badly stays in sight, and what is to come is shown a little ahead.
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'
import { useTimeAgo } from '@vueuse/core'
import { named, ofPackage, stepWord, type Run, type RunStep } from './run'
import { useChange } from '@/composables/change'
import { foldSteps } from './fold'
import PutBackMissed from './PutBackMissed.vue'
import StepTrouble from './StepTrouble.vue'

const props = defineProps<{ run: Run; steps: RunStep[]; here: boolean; at?: Schemas['PhoneAt'] }>()
const open = ref(new Set<number>())
const lookedAt = useTimeAgo(computed(() => props.run.nowAt ?? props.run.startedAt))

const lines = computed(() => foldSteps(props.steps, props.run.state === 'going', open.value))
function toggle(key: number) {
  const next = new Set(open.value)
  if (!next.delete(key)) next.add(key)
  open.value = next
}
const bad = (s: RunStep) => ['refused', 'failed'].includes(s.state)
const put = (s: RunStep) => props.steps.some((u) => u.undoes === s.number && u.state === 'done')
const back = (s: RunStep) => s.kind === 'remove' && s.state === 'done' && !put(s) && props.run.back[s.package ?? '']
const shortly: Record<string, string> = { quieten: 'quiet', disable: 'off', 'remove-from-image': 'from the image' }
function backWord(s: RunStep) {
  if (props.run.back[s.package ?? ''] === 'did-not-start') return 'did not start without it'
  return s.method === 'quieten' ? 'loud again' : 'came back'
}
const healed = computed(() => Object.values(props.run.back).includes('did-not-start'))
const { busy, wrong, run: doing } = useChange()
// By name, any time the phone is there and nothing of the run is going.
const mayPutBack = (s: RunStep) =>
  s.kind === 'remove' &&
  s.state === 'done' &&
  !put(s) &&
  props.here &&
  props.run.settled &&
  props.run.state !== 'going' &&
  !props.steps.some((o) => o.again === s.number && o.state === 'done')
const missed = ref<RunStep>()
async function putBack(s: RunStep) {
  const asked = () =>
    ask(
      api.POST('/api/v1/runs/{id}/put-back', {
        params: { path: { id: props.run.id } },
        body: { packages: [s.package!] },
      }),
    )
  if (await doing(asked)) missed.value = s
}
</script>

<template>
  <ol class="lines" aria-label="Journal">
    <template v-for="l in lines" :key="'fold' in l ? `f${l.fold.key}` : l.step.number">
      <li v-if="'fold' in l" class="fold">
        <button :aria-expanded="open.has(l.fold.key)" @click="toggle(l.fold.key)">
          <span class="faint">{{ open.has(l.fold.key) ? '▾' : '▸' }}</span> <b>{{ l.fold.words }}</b>
          <span class="second">{{ l.fold.detail }}</span>
        </button>
      </li>
      <template v-else>
        <li
          class="step"
          :class="[l.step.state, { now: l.step.state === 'sent', told: !ofPackage(l.step) }]"
          :data-step="l.step.number"
          :aria-current="l.step.state === 'sent' ? 'step' : undefined"
        >
          <span class="second n">{{ l.step.number }}</span>
          <span class="mark" role="img" :aria-label="stepWord[l.step.state]">
            <svg v-if="l.step.state === 'done'" width="12" height="12">
              <path d="M2 6.5l3 3 5-7" fill="none" stroke="currentColor" stroke-width="1.6" />
            </svg>
            <svg v-else-if="bad(l.step)" width="12" height="12" class="harm">
              <path d="M6 1v7M6 10v2" stroke="currentColor" stroke-width="2.4" />
            </svg>
            <svg v-else-if="['absent', 'already', 'skipped'].includes(l.step.state)" width="12" height="12">
              <path d="M2 6h8" stroke="var(--faint)" stroke-width="1.4" />
            </svg>
            <svg v-else-if="l.step.state === 'sent'" width="12" height="12"><circle cx="6" cy="6" r="2.5" /></svg>
            <svg v-else-if="l.step.state === 'unknown'" width="12" height="12" class="ochre">
              <circle
                cx="6"
                cy="6"
                r="3.5"
                fill="none"
                stroke="currentColor"
                stroke-dasharray="2 1.6"
                stroke-width="1.4"
              />
            </svg>
          </span>
          <span class="what"
            ><template v-if="ofPackage(l.step)"
              ><span v-if="l.step.kind === 'put-back'" class="second">back:</span
              ><PackageName :name="l.step.package!" /><i
                v-if="l.step.kind === 'remove' && l.step.method !== 'remove-for-user'"
                class="second"
                >{{ shortly[l.step.method!] }}</i
              ><i v-if="l.step.again" class="second">again</i></template
            ><template v-else>{{ named(l.step) }}</template></span
          >
          <span class="mono second words" :title="l.step.words"
            ><span class="said">{{
              l.step.state === 'sent' ? '…' : l.step.state === 'unknown' ? 'nobody knows yet' : l.step.words
            }}</span
            ><b v-if="back(l.step)" class="ochre"> {{ backWord(l.step) }}</b
            ><b v-if="put(l.step)" class="faint"> put back</b
            ><button
              v-if="mayPutBack(l.step)"
              class="link back"
              :disabled="busy"
              :aria-label="`Put back ${l.step.package}`"
              @click="putBack(l.step)"
            >
              put back
            </button></span
          >
          <span class="second n">{{ l.step.took || '' }}</span>
        </li>
        <PutBackMissed v-if="missed?.number === l.step.number" :run="run" :step="l.step" @done="missed = undefined" />
        <StepTrouble v-if="bad(l.step)" :run="run" :step="l.step" :steps="steps" :here="here" :at="at" />
      </template>
    </template>
  </ol>
  <p v-if="wrong" class="came harm" role="alert">{{ wrong }}</p>
  <p v-if="Object.keys(run.back).length" class="came" data-testid="back">
    <b>{{ count(Object.keys(run.back).length, 'package') }} came back by themselves</b>
    <span v-if="healed" class="second">
      because the phone did not start without what was taken out of the image, seen {{ lookedAt }}</span
    ><span v-else class="second">
      after the {{ Object.values(run.back).includes('back-after-update') ? 'update' : 'restart' }}, seen
      {{ lookedAt }}</span
    >:
    <template v-for="(_, name) in run.back" :key="name"><PackageName :name="String(name)" />&ensp;</template>
  </p>
</template>

<style scoped>
.step {
  display: grid;
  grid-template-columns: 30px 14px minmax(0, 1fr) minmax(0, 1fr) 46px;
  gap: 10px;
  align-items: center;
  height: 26px;
  padding: 0 18px;
  border-bottom: 1px solid var(--row);
}
.step.waiting .what,
.step.skipped .what {
  opacity: 0.75;
}
.step.now {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.step.told {
  grid-template-columns: 30px 14px minmax(0, 1fr) fit-content(45%) 46px;
}
.mark {
  display: flex;
  align-items: center;
}
.n {
  text-align: right;
}
.what {
  display: flex;
  gap: 8px;
  min-width: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
i {
  font-style: normal;
}
.words {
  display: flex;
  gap: 10px;
  white-space: nowrap;
}
.said {
  overflow: hidden;
  text-overflow: ellipsis;
}
.back {
  flex: none;
  font-family: var(--sans);
}
.fold button {
  width: 100%;
  padding: 4px 18px 4px 24px;
  background: var(--soft);
  border-bottom: 1px solid var(--hair);
}
.fold .second {
  margin-left: 8px;
}
b {
  font-weight: 650;
}
.came {
  padding: 8px 18px;
  border-bottom: 1px solid var(--hair);
}
@media (max-width: 720px) {
  .step {
    grid-template-columns: 24px 14px minmax(0, 1fr);
  }
  .step > :nth-child(n + 4):not(:has(.back)),
  .said {
    display: none;
  }
  .step:has(.back) {
    grid-template-columns: 24px 14px minmax(0, 1fr) auto;
  }
}
</style>
