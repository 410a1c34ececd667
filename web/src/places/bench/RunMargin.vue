<script setup lang="ts">
import { useTimeAgo } from '@vueuse/core'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { ceiling, count } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import type { Run, RunStep } from './run'

const props = defineProps<{ run: Run; steps: RunStep[]; own?: Schemas['BenchOwn']; changed: number }>()
const asked = useTimeAgo(computed(() => props.run.nowAt ?? props.run.startedAt))
const same = (j: Schemas['BenchJob']) => JSON.stringify(j.now) === JSON.stringify(j.before)
const put = computed(() =>
  props.steps.filter((s) => s.kind === 'put-in' && s.role && s.state === 'done').map((s) => s.role),
)
const answered = computed(() => props.run.checks.filter((c) => c.answer).length)
</script>

<template>
  <h1>This phone, now</h1>
  <p class="second">{{ run.nowAt ? `asked ${asked}; again after each ten steps` : 'not asked yet' }}</p>
  <h2>Jobs held</h2>
  <dl>
    <template v-for="j in run.jobs.filter((x) => x.class === 'vital' || !same(x))" :key="j.role">
      <dt>{{ roleName(j.role) }}</dt>
      <dd :class="{ harm: !j.now.length, moved: !same(j) }">
        <template v-if="!j.now.length">nobody</template>
        <template v-else-if="put.includes(j.role)">put in, holds it</template>
        <template v-else-if="same(j)">as before</template>
        <PackageName v-else :name="j.now[0]!" />
      </dd>
    </template>
    <dt>lock code</dt>
    <dd>{{ run.lockCode === 'set' ? 'set' : run.lockCode === 'not-set' ? 'not set' : 'not told' }}</dd>
  </dl>
  <h2>Afterwards, by hand</h2>
  <p v-for="c in run.checks" :key="c.number" :class="c.answer === 'broken' ? 'harm' : 'second'">
    {{ c.answer === 'works' ? '☑' : c.answer === 'broken' ? '☒' : '☐' }} {{ c.text }}
  </p>
  <h2>Then</h2>
  <p>
    {{
      answered === run.checks.length && run.checks.length
        ? 'The list is answered: draft the evidence.'
        : `${count(changed, 'trial')} can be drafted from this run: they wait until you say what you saw after a day.`
    }}
  </p>
  <template v-if="own">
    <h2>This release so far</h2>
    <p v-if="own.phones">
      at most {{ ceiling(own.ceiling) }} of phones harmed, from {{ count(own.phones, 'phone') }} that ran it and
      {{ own.phones === 1 ? 'was' : 'were' }} checked
    </p>
    <p v-else>No phone that ran it was checked for a day yet: it has no ceiling of its own.</p>
  </template>
  <h2>Put back</h2>
  <p class="second">
    {{ changed ? `all ${changed}, or by name, any time this phone is here` : 'nothing of this run is off the phone' }}
  </p>
  <h2>For others</h2>
  <p v-if="run.releaseId && ['finished', 'put-back'].includes(run.state)">
    <a :href="`/run/${run.number}`" target="_blank">The public record</a>
    <span class="second"> tells nothing of whose phone it was</span>
  </p>
  <p v-else class="second">{{ run.releaseId ? 'public when it is finished' : 'runs of drafts are not public' }}</p>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 12px;
}
dt {
  color: var(--second);
}
dt::first-letter {
  text-transform: uppercase;
}
dd {
  text-align: right;
  font-weight: 600;
  min-width: 0;
}
</style>
