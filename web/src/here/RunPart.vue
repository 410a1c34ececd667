<script setup lang="ts">
// A run: how far it is, what came of it, and what can be put back.
import { computed, ref } from 'vue'
import type { Bench, LooseStandIn } from './bench'
import type { Run, View } from './messages'
import PhoneBox from './PhoneBox.vue'
import TellPart from './TellPart.vue'
import StepList from './StepList.vue'
import { day, many, t } from './words'
import { appName, functionName } from './wrote'

const props = defineProps<{ run: Run; view: View; bench: Bench; pretend: LooseStandIn[]; tell: string }>()
const emit = defineEmits<{ finish: []; wrong: [words: string] }>()

const going = computed(() => props.run.state === 'going')
const steps = computed(() => props.run.steps ?? [])
const here = computed(() => props.view.phones.find((p) => p.ready && p.mark === props.run.mark))
const other = computed(() => !here.value && props.view.phones.some((p) => p.ready && p.mark))
const ended = computed(() => steps.value.filter((s) => !['waiting', 'sent', 'unknown'].includes(s.state)).length)
const waits = computed(() => steps.value.some((s) => s.state === 'waiting' || s.state === 'unknown'))
const refused = computed(() => steps.value.filter((s) => s.state === 'refused' && s.kind === 'remove'))
// What was made quiet stays, and is not off.
const quiet = computed(() => {
  const by = new Map(
    steps.value.filter((s) => s.kind === 'remove' && s.state === 'done').map((s) => [s.package, s.method]),
  )
  return props.run.off.filter((p) => by.get(p) === 'quieten').length
})
const took = computed(() => {
  const all = [many('run.took', props.run.off.length - quiet.value)]
  if (quiet.value) all.push(many('run.quiet', quiet.value))
  return all.join('; ')
})
const back = computed(() => Object.keys(props.run.back ?? {}))
const title = computed(() => {
  if (going.value) return t('run.going')
  return props.run.state === 'put-back' ? t('run.putBack') : t(`run.${props.run.state as 'stopped'}`)
})
const labels = computed(() => new Map(steps.value.map((s) => [s.package, s.label])))
const nameOf = (p: string) => appName({ package: p, label: labels.value.get(p) }) || p

const stopping = ref(false)
const sure = ref(false)
const picked = ref('')

async function attempt(what: () => Promise<unknown>) {
  emit('wrong', '')
  stopping.value = sure.value = false
  try {
    await what()
  } catch (e) {
    emit('wrong', e instanceof Error ? e.message : String(e))
  }
}
const stop = () => {
  void attempt(() => props.bench.stop())
  stopping.value = true
}
const putBack = (names: string[], functions: string[]) =>
  attempt(() => props.bench.putBack(props.run.id, names, functions))

async function save() {
  const text = await props.bench.log(props.run.id)
  const a = document.createElement('a')
  a.href = URL.createObjectURL(new Blob([text], { type: 'text/plain' }))
  a.download = `${props.run.title.replace(/[^\p{L}\p{N}]+/gu, '-').toLowerCase()}-${props.run.startedAt.slice(0, 10)}.log`
  a.click()
  URL.revokeObjectURL(a.href)
}
</script>

<template>
  <h2>{{ title }}</h2>
  <p class="second">{{ run.phone }}: {{ run.title || t('log.title') }}, {{ day(run.startedAt) }}</p>
  <template v-if="going">
    <progress :value="ended" :max="steps.length" />
    <p role="status">{{ t('run.count', { n: ended, of: steps.length }) }}</p>
    <StepList :steps="steps.filter((s) => s.state === 'sent')" />
    <p class="second">{{ t('run.leave') }}</p>
    <button class="press" :disabled="stopping" @click="stop">{{ stopping ? t('run.stopping') : t('run.stop') }}</button>
  </template>
  <template v-else>
    <p v-if="run.why" class="note">{{ run.why }}</p>
    <p v-if="run.open" class="note">{{ t('run.unknown') }}</p>
    <p v-if="run.state !== 'put-back'" class="big">{{ took }}.</p>
    <template v-if="!here">
      <p>{{ other ? t('attach.otherPhone') : t('run.away') }}</p>
      <PhoneBox :bench="bench" :view="view" :pretend="pretend" />
    </template>
    <button
      v-if="here && waits && !run.puttingBack"
      class="go-on"
      :disabled="!!view.doing"
      @click="attempt(() => bench.goOn(run.id))"
    >
      {{ t('run.goOn') }}
    </button>
    <template v-if="refused.length">
      <p>{{ t('run.refused', { n: refused.length }) }}</p>
      <StepList :steps="refused" />
    </template>
    <template v-if="back.length">
      <p>{{ t('run.returned') }}</p>
      <ul class="rows">
        <li v-for="p in back" :key="p" dir="auto">{{ nameOf(p) }}</li>
      </ul>
    </template>
    <template v-if="run.state === 'finished' && run.checks.length">
      <h3>{{ t('check.title') }}</h3>
      <p>{{ t('check.why') }}</p>
      <ul>
        <li v-for="c in run.checks" :key="c.number">{{ c.text }}</li>
      </ul>
    </template>
    <template v-if="run.off.length">
      <h3>{{ t('check.missing') }}</h3>
      <ul class="rows">
        <li v-if="run.functions.length">
          <span>{{ t('check.function') }}</span>
          <span>
            <button
              v-for="f in run.functions"
              :key="f"
              class="press"
              :disabled="!here || !!view.doing"
              @click="putBack([], [f])"
            >
              {{ functionName(f) }}
            </button>
          </span>
        </li>
        <li>
          <label>
            {{ t('check.name') }}
            <select v-model="picked">
              <option v-for="p in run.off" :key="p" :value="p">{{ nameOf(p) }}</option>
            </select>
          </label>
          <button class="press" :disabled="!picked || !here || !!view.doing" @click="putBack([picked], [])">
            {{ t('check.back') }}
          </button>
        </li>
        <li v-if="sure">
          <span>{{ t('check.allSure', { n: run.off.length }) }}</span>
          <span>
            <button class="press" @click="putBack([], [])">{{ t('check.yes') }}</button>
            <button class="press" @click="sure = false">{{ t('check.no') }}</button>
          </span>
        </li>
        <li v-else>
          <span>{{ took }}</span>
          <button class="press" :disabled="!here || !!view.doing" @click="sure = true">{{ t('check.all') }}</button>
        </li>
        <li>
          <span class="reason">{{ t('run.logWhy') }}</span>
          <button class="press" @click="save">{{ t('run.log') }}</button>
        </li>
      </ul>
    </template>
    <TellPart
      v-if="tell && run.state !== 'put-back'"
      :read="view.phone === run.mark"
      :run="run"
      :bench="bench"
      :tell="tell"
    />
    <button v-if="run.state === 'finished' || run.state === 'put-back'" class="go-on" @click="$emit('finish')">
      {{ t('check.fine') }}
    </button>
  </template>
  <details>
    <summary>{{ t('run.steps') }}</summary>
    <StepList :steps="steps" />
  </details>
</template>

<style scoped>
.reason {
  max-width: 44ch;
}
</style>
