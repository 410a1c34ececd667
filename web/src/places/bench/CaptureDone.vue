<script setup lang="ts">
// What a capture came to, in a few lines; the intake page tells the rest.
import { useQuery } from '@tanstack/vue-query'
import { api, ask, words } from '@/api/client'
import { count } from '@/format/numbers'

const props = defineProps<{ id: string; known?: boolean }>()
const capture = useQuery({
  queryKey: ['capture', props.id],
  queryFn: () => ask(api.GET('/api/v1/captures/{id}', { params: { path: { id: props.id } } })),
})
const intake = useQuery({
  queryKey: ['intake', props.id],
  queryFn: () => ask(api.GET('/api/v1/captures/{id}/intake', { params: { path: { id: props.id } } })),
})
</script>

<template>
  <p v-if="capture.isError.value" class="notice bad" role="alert">{{ words(capture.error.value) }}</p>
  <div v-else-if="capture.data.value" class="stored" data-testid="stored">
    <p class="sum">
      <b>{{ capture.data.value.makerName }} {{ capture.data.value.modelName }}</b> on
      <b>{{ capture.data.value.carrier ? capture.data.value.carrier + ' ' : '' }}{{ capture.data.value.version }}</b
      >, Android {{ capture.data.value.release }}: {{ count(capture.data.value.packages, 'package') }}.
    </p>
    <p v-if="known" class="second">Exactly this capture was stored before: nothing has changed since.</p>
    <p v-if="!capture.data.value.complete" class="ochre">Incomplete: {{ capture.data.value.missing }}.</p>
    <!-- Its line is there from the beginning: what stands below must not move under a finger. -->
    <p v-if="intake.data.value">
      {{
        intake.data.value.newMaker
          ? 'A maker that is new here'
          : intake.data.value.newModel
            ? 'A model that is new here'
            : intake.data.value.newBuild
              ? 'A firmware that nobody had captured'
              : 'A known firmware'
      }}, {{ count(intake.data.value.neverSeen.length, 'package') }} never seen before,
      {{ intake.data.value.ungraded.length }} without a grade.
    </p>
    <p v-else-if="!intake.isError.value" class="second">Comparing it with what was known.</p>
    <p v-else class="second">What was known can't be compared with it right now.</p>
    <router-link
      class="act first"
      :to="{
        name: 'intake',
        params: { id },
        query: { maker: capture.data.value.maker, model: capture.data.value.model, build: capture.data.value.buildId },
      }"
      >What it means</router-link
    >
  </div>
</template>

<style scoped>
.stored {
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
.sum {
  font-size: 15px;
}
.act {
  margin-top: 10px;
  text-decoration: none;
}
b {
  font-weight: 650;
}
</style>
