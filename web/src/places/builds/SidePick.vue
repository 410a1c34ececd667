<script setup lang="ts">
// Which build, or which phone of one, stands on a side of the comparison.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { day } from '@/format/dates'
import { buildName, useBuilds } from '@/composables/scope'

const props = defineProps<{ side: Schemas['ComparedSide']; name: 'from' | 'to' }>()
const emit = defineEmits<{ pick: [side: string] }>()
const builds = useBuilds(
  () => props.side.maker,
  () => props.side.model,
)
const phones = useQuery({
  queryKey: computed(() => ['phones', props.side.buildId]),
  queryFn: () =>
    ask(api.GET('/api/v1/builds/{id}/phones', { params: { path: { id: props.side.buildId } } })).then((r) => r.items),
})
const now = computed(() => `${props.side.kind}:${props.side.id}`)
const list = computed(() => (builds.data.value ?? []).filter((b) => b.packages))
const captures = computed(() => (phones.data.value ?? []).slice(0, 30))
</script>

<template>
  <select
    class="field"
    :value="now"
    :aria-label="name === 'from' ? 'Compare from' : 'Compare to'"
    @change="emit('pick', ($event.target as HTMLSelectElement).value)"
  >
    <optgroup :label="side.modelName">
      <option v-for="b in list" :key="b.id" :value="`build:${b.id}`">
        {{ [b.region, buildName(b)].filter(Boolean).join(' ') }}
      </option>
    </optgroup>
    <optgroup v-if="captures.length" label="What a phone of it had">
      <option v-for="p in captures" :key="p.captureId" :value="`capture:${p.captureId}`">
        phone {{ p.phone.slice(0, 6) || '?' }}, {{ day(p.takenAt) }}
      </option>
    </optgroup>
  </select>
</template>
