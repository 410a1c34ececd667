<script setup lang="ts">
// Finding the one package that something broken rests on: half of the suspects
// are put back, the person says whether it works again, until one is left.
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'
import { useChange } from '@/composables/change'
import type { Run } from './run'

const props = defineProps<{ run: Run; check: Schemas['RunCheck']; hunt?: Schemas['BenchHunt']; here: boolean }>()
const path = computed(() => ({ params: { path: { id: props.run.id, number: props.check.number } } }))
const { busy, wrong, run: doing } = useChange()
const begin = () => doing(() => ask(api.POST('/api/v1/runs/{id}/checks/{number}/halving', path.value)))
const answer = (works: boolean) =>
  doing(async () => {
    const round = props.hunt?.rounds.length ?? 0
    await ask(api.POST('/api/v1/runs/{id}/checks/{number}/halving/answer', { ...path.value, body: { works, round } }))
    answered.value = round + 1
  })
// The question that was just answered stands here until the run has moved on.
const answered = ref(0)
const passed = computed(() => answered.value > (props.hunt?.rounds.length ?? 0))
// What the answers so far leave.
const left = computed(() =>
  (props.hunt?.suspects ?? []).filter((s) => props.hunt!.rounds.every((r) => r.on.includes(s.package) === r.works)),
)
const moving = computed(() => props.run.state !== 'finished' || passed.value)
const broken = computed(() => props.run.state !== 'finished' && props.run.state !== 'going')
const rounds = computed(() => Math.ceil(Math.log2(Math.max(2, left.value.length))) + 1)
</script>

<template>
  <div class="hunt">
    <template v-if="!hunt">
      <p>
        Something of this run carries it.
        <button class="act" :disabled="busy || !here || run.state !== 'finished'" @click="begin">Narrow it down</button>
        <span class="second"> a few are put back at a time, and you say whether it works again</span>
      </p>
    </template>
    <template v-else>
      <ol v-if="hunt.rounds.length" class="rounds" aria-label="What was tried">
        <li v-for="(r, i) in hunt.rounds" :key="i">
          <span class="second">{{ i + 1 }}</span> with {{ count(r.on.length, 'package') }} put back it
          <b>{{ r.works ? 'worked' : 'was still broken' }}</b>
        </li>
      </ol>
      <p v-if="hunt.found" role="status">
        <b>It rests on <PackageName :name="hunt.found" />.</b> That one stays on the phone; all others
        {{ moving ? 'go again' : 'are off again' }}. The way there is its proof.
      </p>
      <p v-else-if="hunt.over" role="status">
        <b>No single package brings it back.</b> Several may carry it together, or it was broken before the run.
      </p>
      <template v-else>
        <p role="status">
          <template v-if="broken"
            >Not all of what is to be tried is back on the phone: continue the run first.</template
          >
          <template v-else-if="moving">Putting back what is to be tried.</template>
          <template v-else
            ><b>Try it now: {{ check.text.toLowerCase() }}.</b> {{ count(hunt.asking.length, 'package') }}
            {{ hunt.asking.length === 1 ? 'is' : 'are' }} back on the phone, {{ left.length }} suspected, at most
            {{ count(rounds, 'more question') }}.</template
          >
        </p>
        <p class="acts">
          <button class="act first" :disabled="busy || moving" @click="answer(true)">It works again</button>
          <button class="act" :disabled="busy || moving" @click="answer(false)">Still broken</button>
        </p>
      </template>
      <details v-if="!hunt.over">
        <summary class="second">{{ count(left.length, 'suspect') }}, the likeliest first</summary>
        <ul>
          <li v-for="s in left" :key="s.package">
            <PackageName :name="s.package" />
            <b v-if="hunt.asking.includes(s.package)" class="back">back</b>
            <span class="second">{{ s.why.join('; ') }}</span>
          </li>
        </ul>
      </details>
    </template>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.hunt {
  margin: 6px 0 8px;
  padding: 8px 12px;
  border-left: 3px solid var(--harm);
  background: var(--soft);
}
b {
  font-weight: 650;
}
.acts {
  display: flex;
  gap: 8px;
  padding: 6px 0;
}
.rounds .second {
  display: inline-block;
  width: 18px;
}
summary {
  cursor: pointer;
}
.back {
  margin: 0 6px;
  font-size: 12px;
}
.hunt li .second {
  margin-left: 6px;
}
</style>
