<script setup lang="ts">
// What technicians are asked to try on a firmware, and how far it is.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { ago } from '@/format/dates'
import { count } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'
import { placesOf, useBenches } from '@/places/bench/bench'
import { useChange } from '@/composables/change'
import { useSession } from '@/composables/session'
import { nameOf } from './builds'
import ProofPlan from './ProofPlan.vue'

const route = useRoute()
const router = useRouter()
const { may } = useSession()
const id = computed(() => String(route.params.id))
const wanted = useQuery({
  queryKey: computed(() => ['wanted', id.value]),
  queryFn: () => ask(api.GET('/api/v1/wanted/{id}', { params: { path: { id: id.value } } })),
})
const w = computed(() => wanted.data.value)
const scope = computed(() => ({ maker: w.value?.maker, model: w.value?.model }))
// A phone of that firmware that is attached now.
const { benches } = useBenches()
const here = computed(() =>
  (benches.value ?? [])
    .flatMap(placesOf)
    .find((p) => p.phone?.ready && p.phone.version === w.value?.version && p.phone.carrier === w.value?.carrier),
)
const { busy, wrong, run } = useChange('wanted')
const close = () =>
  run(async () => {
    await ask(api.DELETE('/api/v1/wanted/{id}', { params: { path: { id: id.value } } }))
    await router.push('/desk')
  })
</script>

<template>
  <div v-if="wanted.isError.value" class="notice bad" role="alert">{{ words(wanted.error.value) }}</div>
  <section v-else-if="w" class="paper" tabindex="0" role="region" aria-label="Trials wanted">
    <h1>{{ w.edition }} on {{ w.modelName }} {{ nameOf(w) }}: trials wanted</h1>
    <p class="second">
      {{ w.askedBy }} asked {{ ago(w.askedAt) }}.
      {{
        w.closedAt
          ? 'It is no longer asked for.'
          : w.left.length
            ? `${count(w.left.length, 'package')} of ${w.packages.length} were never taken off a phone of that firmware.`
            : 'All of them were tried: thank you.'
      }}
    </p>
    <section>
      <h2>How</h2>
      <p>
        Run the draft of the profile on such a phone: one run tries all that it takes off at once. What it leaves on the
        phone because too little is known there is tried with the release itself, where that may run, or by hand. Use
        the phone for a day, answer the check list, and draft the evidence from it.
      </p>
      <p class="acts">
        <router-link class="act first" :to="{ path: '/bench', query: here ? { ...scope, at: here.key } : scope }">{{
          here ? `Go to the ${here.phone?.name} that is attached` : 'Go to the Bench'
        }}</router-link>
        <span v-if="!here" class="second">No phone with that firmware is attached now.</span>
      </p>
    </section>
    <section>
      <h2>Plan</h2>
      <ProofPlan :plan="w.plan" :ceiling="w.ceiling" :left="w.left" />
    </section>
    <section>
      <h2>
        Not tried yet <span class="second">{{ w.left.length }}</span>
      </h2>
      <p v-for="n in w.left" :key="n">
        <router-link :to="{ name: 'dossier', params: { name: n }, query: scope }"
          ><PackageName :name="n"
        /></router-link>
      </p>
    </section>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <button v-if="may('maintainer') && !w.closedAt" class="act quiet" :disabled="busy" @click="close">
      Ask for it no longer
    </button>
  </section>
</template>

<style scoped>
section section {
  margin-top: 16px;
}
h2 {
  font-size: 15px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  margin: 8px 0;
}
.acts .act {
  text-decoration: none;
}
a {
  text-decoration: none;
}
</style>
