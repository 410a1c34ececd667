<script setup lang="ts">
// What removing all marked packages together would lead to.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, words } from '@/api/client'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import type { Subject } from '@/editing/dialogs'
import { count } from '@/format/numbers'
import { buildName, useScope } from '@/composables/scope'

const props = defineProps<{ marked: Subject[] }>()
const { scope } = useScope()
const names = computed(() => props.marked.map((m) => m.name).slice(0, 1000))
const effect = useQuery({
  queryKey: computed(() => ['consequences', scope.value, names.value]),
  queryFn: () =>
    ask(
      api.POST('/api/v1/consequences', {
        params: { query: { ...scope.value } },
        body: { packages: names.value, method: 'remove-for-user' },
      }),
    ),
  placeholderData: keepPreviousData,
})
const found = computed(() => effect.data.value)
</script>

<template>
  <h1>{{ marked.length === 1 ? 'If it goes' : `If these ${count(marked.length, 'package')} go` }}</h1>
  <p v-if="effect.isError.value" class="notice bad" role="alert">{{ words(effect.error.value) }}</p>
  <template v-else-if="found">
    <p v-if="found.build" class="second">together, removed for the user, from {{ buildName(found.build) }}</p>
    <p v-else class="second">No capture in scope has any of them.</p>
    <p v-if="found.rolesUnknown" class="ochre">
      The capture does not say who holds which job: which one this would empty is not known.
    </p>
    <ConsequenceList v-if="found.build" :consequences="found.consequences" />
    <p v-if="found.notInstalled.length" class="second">
      {{ count(found.notInstalled.length, 'of them is', 'of them are') }} not on that build.
    </p>
  </template>
</template>
