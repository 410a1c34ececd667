<script setup lang="ts">
// The phones behind the figures of what a release, or all that was run on a model,
// brought: each with its run.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { day } from '@/format/dates'
import { gained, type Quantity } from '@/format/gain'
import { count } from '@/format/numbers'

const props = defineProps<{ release?: string; phones?: Schemas['PhoneGain'][] }>()
const gain = useQuery({
  queryKey: computed(() => ['release-gain', props.release]),
  enabled: computed(() => !!props.release),
  queryFn: () => ask(api.GET('/api/v1/releases/{id}/gain', { params: { path: { id: props.release! } } })),
})
const columns: [Quantity, string][] = [
  ['memory', 'memory'],
  ['start', 'start'],
  ['wakeups', 'wake-ups'],
]
const phones = computed(() =>
  [...(props.phones ?? gain.data.value?.phones ?? [])].sort(
    (a, b) => (b.gained.memory?.gained ?? 0) - (a.gained.memory?.gained ?? 0),
  ),
)
</script>

<template>
  <p v-if="gain.isError.value" class="ochre" role="alert">{{ words(gain.error.value) }}</p>
  <div v-if="phones.length" class="phones" tabindex="0" role="region" aria-label="Phones that were measured">
    <table class="listed">
      <thead>
        <tr>
          <th scope="col">run</th>
          <th scope="col">by</th>
          <th v-for="[q, word] in columns" :key="q" scope="col" class="num">{{ word }}</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="p in phones"
          :key="p.phone"
          :title="`${count(p.measured, 'measurement')}${p.doubts.map((d) => `; hardly to be compared: ${d}`).join('')}`"
        >
          <td>
            <router-link class="link" :to="{ name: 'run', params: { id: p.run } }">{{ p.number }}</router-link>
            <span class="second"> {{ day(p.at) }}</span>
          </td>
          <td class="second">{{ p.person }}<span v-if="p.doubts.length" class="ochre"> ?</span></td>
          <td v-for="[q] in columns" :key="q" class="num">{{ p.gained[q] ? gained(q, p.gained[q].gained) : '—' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.phones {
  max-height: 300px;
  overflow: auto;
  margin: 6px 0;
}
.num {
  text-align: end;
  white-space: nowrap;
}
</style>
