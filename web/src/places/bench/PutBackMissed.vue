<script setup lang="ts">
// After a package was put back: what was missed without it, in one tap, which
// becomes a trial in the tray.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { slugOf } from '@/editing/written'
import { dayOf } from '@/format/dates'
import { slugWords } from '@/format/vocabulary'
import { useTray } from '@/tray/tray'
import type { Run, RunStep } from './run'
import { daysSince } from './watched'

const props = defineProps<{ run: Run; step: RunStep }>()
const emit = defineEmits<{ done: [] }>()
const tray = useTray()
const name = computed(() => props.step.package!)
const dossier = useQuery({
  queryKey: computed(() => ['functions', name.value]),
  queryFn: () => ask(api.GET('/api/v1/packages/{name}', { params: { path: { name: name.value } } })),
})
const functions = computed(() => dossier.data.value?.functions ?? [])
const other = ref('')
const { busy, wrong, run: doing } = useChange()
const said = ref('')
const miss = (fn: string) =>
  doing(async () => {
    await tray.add([
      {
        package: name.value,
        field: 'trial',
        scope: { kind: 'everywhere' },
        value: {
          build: props.run.buildId,
          phone: props.run.phone,
          method: props.step.method ?? 'remove-for-user',
          outcome: 'function-lost',
          function: slugOf(fn),
          persistence: 'held',
          recovery: 'put-back',
          watchedDays: daysSince(props.run.startedAt),
          on: dayOf(new Date(props.run.startedAt)),
          note: `Put back in run ${props.run.number}.`,
          tried: [],
          attachments: [],
          run: props.run.id,
        },
        reason: '',
      },
    ])
    said.value = `In your tray: ${slugWords(slugOf(fn))} was lost without it.`
  })
</script>

<template>
  <li class="missed" aria-label="What was missed">
    <template v-if="said">
      <span role="status">{{ said }}</span> <button class="link second" @click="emit('done')">close</button>
    </template>
    <template v-else>
      <b>What was missed without it?</b>
      <button v-for="f in functions" :key="f" class="act" :disabled="busy" @click="miss(f)">{{ slugWords(f) }}</button>
      <form @submit.prevent="other.trim() && miss(other)">
        <input
          v-model="other"
          class="field"
          maxlength="40"
          placeholder="something else"
          aria-label="Something else that was missed"
        />
        <button class="act" :disabled="busy || !slugOf(other)">That</button>
      </form>
      <button class="link second" @click="emit('done')">nothing</button>
      <span v-if="wrong" class="harm" role="alert">{{ wrong }}</span>
    </template>
  </li>
</template>

<style scoped>
.missed {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 8px;
  align-items: center;
  padding: 6px 18px 6px 72px;
  background: var(--picked);
  border-bottom: 1px solid var(--row);
}
form {
  display: flex;
  gap: 4px;
}
</style>
