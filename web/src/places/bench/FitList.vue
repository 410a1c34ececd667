<script setup lang="ts">
// What can be run on this phone, the best fit first; the first action is
// always to rehearse.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { ceiling, count } from '@/format/numbers'
import { useScope } from '@/composables/scope'
import type { Phone } from './bench'
import { useJob } from './job'
import { fitWord, stateOf, titleOf } from './run'

const props = defineProps<{ bench: string; phone: Phone }>()
const { query } = useScope()
const router = useRouter()
const fits = useQuery({
  queryKey: computed(() => ['fits', props.bench, props.phone.handle, props.phone.fingerprint]),
  queryFn: () =>
    ask(
      api.GET('/api/v1/benches/{id}/phones/{handle}/fits', {
        params: { path: { id: props.bench, handle: props.phone.handle } },
      }),
    ).then((r) => r.items),
})
const runs = useQuery({
  queryKey: computed(() => ['runs', 'of', props.phone.mark]),
  queryFn: () =>
    ask(api.GET('/api/v1/runs', { params: { query: { phone: props.phone.mark, limit: 5 } } })).then((r) => r.items),
})
const all = ref(false)
const good = computed(() => (fits.data.value ?? []).filter((f) => f.fit !== 'not-made'))
const shown = computed(() => (all.value ? (fits.data.value ?? []) : good.value.slice(0, 4)))
const chosen = ref('')
type Fit = NonNullable<typeof fits.data.value>[number]
const key = (f: Fit) => f.release ?? f.profile
const job = useJob<{ step: number; steps: number }, { id: string }>((result) => {
  const f = fits.data.value?.find((x) => key(x) === chosen.value)
  if (!result?.id || !f || job.job.value?.state !== 'done') return
  void router.push({
    name: 'rehearsal',
    query: {
      ...query.value,
      capture: result.id,
      bench: props.bench,
      phone: props.phone.handle,
      ...(f.release ? { release: f.release } : { profile: f.profile }),
    },
  })
})
function rehearse(f: Fit) {
  chosen.value = key(f)
  void job.start(props.bench, { kind: 'capture', phone: props.phone.handle })
}
</script>

<template>
  <section class="fits" aria-label="What can be run">
    <h2>Run</h2>
    <ul v-if="runs.data.value?.length" class="runs">
      <li v-for="r in runs.data.value" :key="r.id">
        <router-link :to="{ name: 'run', params: { id: r.id }, query }">{{ titleOf(r) }}</router-link>
        <span :class="{ ochre: ['held', 'interrupted', 'stopped'].includes(r.state) }">{{ stateOf(r) }}</span>
        <span v-if="r.broken" class="harm">{{ r.broken }} broken</span>
      </li>
    </ul>
    <p v-if="fits.isError.value" class="harm" role="alert">{{ words(fits.error.value) }}</p>
    <p v-else-if="fits.data.value && !good.length" class="second">
      Nothing is published for this model, and no profile is composed for it yet.
    </p>
    <ul>
      <li v-for="f in shown" :key="key(f)" :class="{ not: f.fit === 'not-made' }">
        <span class="what"
          ><b>{{ f.number ? `${f.title}, no. ${f.number}` : `${f.title}, a draft` }}</b>
          <span class="second">{{ f.why }}</span></span
        >
        <span class="fit">{{ fitWord[f.fit] }}</span>
        <span class="second own">{{
          f.own?.phones ? `at most ${ceiling(f.own.ceiling)} of ${count(f.own.phones, 'phone')} harmed` : 'not run yet'
        }}</span>
        <button
          class="act"
          :class="{ first: f === good[0] }"
          :disabled="f.fit === 'not-made' || job.busy.value"
          :aria-label="`Rehearse ${f.title}${f.number ? `, no. ${f.number}` : ', a draft'}`"
          @click="rehearse(f)"
        >
          {{ job.busy.value && chosen === key(f) ? 'Looking at the phone' : 'Rehearse' }}
        </button>
      </li>
    </ul>
    <button v-if="(fits.data.value?.length ?? 0) > shown.length" class="link second" @click="all = true">
      {{ (fits.data.value?.length ?? 0) - shown.length }} more
    </button>
    <p v-if="job.wrong.value" class="notice bad" role="alert">{{ job.wrong.value }}</p>
  </section>
</template>

<style scoped>
.fits {
  padding: 12px 18px 14px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 88px 140px auto;
  gap: 12px;
  align-items: center;
  padding: 5px 0;
  border-top: 1px solid var(--row);
}
.runs {
  margin-bottom: 6px;
}
.runs li {
  grid-template-columns: minmax(0, 1fr) auto auto;
}
.what {
  display: flex;
  flex-direction: column;
}
b {
  font-weight: 650;
}
.not {
  color: var(--second);
}
@media (max-width: 720px) {
  li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
}
</style>
