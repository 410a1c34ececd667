<script setup lang="ts">
// What the run says as evidence: the trials that it comes to, and of which
// packages nothing can be said yet.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import { outcomeWord } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import { useChange } from '@/composables/change'
import { useKeys } from '@/composables/keys'
import KeyCap from '@/ui/KeyCap.vue'
import type { Run } from './run'

const props = defineProps<{ run: Run; own?: Schemas['BenchOwn'] }>()
const draft = useQuery({
  queryKey: computed(() => ['draft', props.run.id, props.run.seq]),
  queryFn: () => ask(api.GET('/api/v1/runs/{id}/draft', { params: { path: { id: props.run.id } } })),
  placeholderData: (before) => before,
})
const { busy, wrong, said, run: doing } = useChange('tray')
const added = ref(-1)
const put = () =>
  doing(async () => {
    added.value = (await ask(api.POST('/api/v1/runs/{id}/draft', { params: { path: { id: props.run.id } } }))).added
  })
useKeys([{ keys: ['e'], does: 'draft the evidence into the tray', run: () => drafts.value.length && void put() }])
const drafts = computed(() => draft.data.value?.drafts ?? [])
const by = computed(() => {
  const groups: Record<string, Schemas['BenchDrafted'][]> = {}
  for (const d of drafts.value) (groups[d.value.outcome] ??= []).push(d)
  return groups
})
const withheld = computed(() => {
  const groups: Record<string, string[]> = {}
  for (const w of draft.data.value?.withheld ?? []) (groups[w.why] ??= []).push(w.package)
  return groups
})
</script>

<template>
  <section class="draft" aria-label="Evidence">
    <header>
      <h2>
        Evidence
        <span class="second"
          >{{ count(drafts.length, 'trial') }}, {{ draft.data.value?.withheld.length ?? 0 }} withheld</span
        >
      </h2>
      <button class="act first" :disabled="busy || !drafts.length" @click="put">
        Draft into the tray <KeyCap of="e" />
      </button>
    </header>
    <p v-if="draft.isError.value" class="second">{{ words(draft.error.value) }}</p>
    <p v-if="added >= 0" role="status">
      {{
        added
          ? `${count(added, 'trial')} went into your tray, each with this run as its proof. Look at them there, and send them.`
          : 'All of it was drafted before.'
      }}
    </p>
    <p v-if="wrong || said" class="harm" role="alert">{{ wrong }}</p>
    <ul>
      <li v-for="(list, outcome) in by" :key="outcome">
        <b>{{ list.length }} {{ outcomeWord[outcome] }}</b>
        <span v-if="outcome === 'clean'" class="second">
          by the check list, after {{ count(list[0]!.value.watchedDays, 'day') }}</span
        >
        <template v-else>: <PackageName v-for="d in list" :key="d.package" :name="d.package" /></template>
      </li>
      <li v-for="(list, why) in withheld" :key="why" class="second">{{ count(list.length, 'package') }}: {{ why }}</li>
    </ul>
  </section>
</template>

<style scoped>
.draft {
  padding: 12px 18px 20px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
h2 {
  font-size: 15px;
}
h2 .second {
  font-size: 13px;
  font-weight: 400;
}
li {
  padding: 3px 0;
}
b {
  font-weight: 650;
}
</style>
