import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import type { Scope } from '@/composables/scope'

export type Around = Schemas['Around']
export type LinkTo = Schemas['Neighbour']

// useImpact is what a package rests on, what rests on it and what its removal
// leads to, where the scope stands.
export function useImpact(name: Ref<string>, scope: Ref<Scope>) {
  return useQuery({
    queryKey: computed(() => ['dossier', name.value, scope.value, 'impact']),
    queryFn: () =>
      ask(
        api.GET('/api/v1/packages/{name}/impact', {
          params: { path: { name: name.value }, query: { ...scope.value } },
        }),
      ),
    placeholderData: keepPreviousData,
  })
}
