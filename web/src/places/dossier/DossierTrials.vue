<script setup lang="ts">
// The trials by a method, all or those of one distance, with what each counts.
import { computed } from 'vue'
import { useScope } from '@/composables/scope'
import { useTrials, type Dossier } from './dossier'
import TrialTable from './TrialTable.vue'

const props = defineProps<{ name: string; seen: Dossier['methods'][number]; distance?: number }>()
const { scope } = useScope()
const { data, error } = useTrials(
  computed(() => props.name),
  scope,
)
const weights = computed(
  () =>
    new Map(
      (data.value?.weighed ?? [])
        .filter((w) => w.method === props.seen.method)
        .flatMap((w) => w.trials.map((id) => [id, w] as const)),
    ),
)
const trials = computed(() => {
  const all = data.value?.trials ?? []
  return props.distance === undefined ? all : all.filter((t) => weights.value.get(t.id)?.distance === props.distance)
})
</script>

<template>
  <p v-if="error" class="harm" role="alert">{{ error.message }}</p>
  <template v-else-if="data">
    <TrialTable :trials="trials" :weights="weights" :files="data.attachments" />
    <p class="second">
      Together {{ seen.weight.toFixed(2) }} phones' worth of trials, {{ seen.harmedWeight.toFixed(2) }} of them harms. A
      trial on a farther firmware counts less, and so does each further phone of one person that went clean: see
      <router-link to="/yardstick">the yardstick</router-link>.
    </p>
  </template>
</template>
