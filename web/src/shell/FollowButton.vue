<script setup lang="ts">
// Makes what happens to something reach your Desk and your feed.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'

const props = defineProps<{ kind: Schemas['Followed']['kind']; id: string; name: string }>()
const follows = useQuery({ queryKey: ['follows'], queryFn: () => ask(api.GET('/api/v1/follows')).then((r) => r.items) })
const on = computed(() => !!follows.data.value?.some((f) => f.kind === props.kind && f.id === props.id))
const { busy, wrong, run } = useChange('follows')
const toggle = () =>
  run(async () => {
    const { kind, id } = props
    await (on.value
      ? ask(api.DELETE('/api/v1/follows/{kind}/{id}', { params: { path: { kind, id } } }))
      : ask(api.POST('/api/v1/follows', { body: { kind, id } })))
  })
</script>

<template>
  <button
    class="link second"
    :aria-pressed="on"
    :aria-label="`Follow ${name}`"
    :disabled="busy"
    :title="wrong || 'What happens to it then reaches your Desk and your feed'"
    @click="toggle"
  >
    {{ wrong ? 'try again' : on ? 'followed' : 'follow' }}
  </button>
</template>
