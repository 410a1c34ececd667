import { useInfiniteQuery, keepPreviousData } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import { api, ask, queryClient, type Schemas } from '@/api/client'
import { scopeIn, useScope, type Scope } from '@/composables/scope'
import { viewIn, viewQuery, type View } from './view'

export type LedgerRow = Schemas['LedgerRow']

const keyOf = (scope: Scope, view: View) => ['ledger', scope, view] as const

const page = (scope: Scope, view: View, cursor: string) =>
  ask(
    api.GET('/api/v1/ledger', {
      params: {
        query: {
          ...scope,
          q: view.q || undefined,
          sort: view.sort,
          group: view.group,
          cursor: cursor || undefined,
          limit: 500,
        },
      },
    }),
  )

// useView reads the view from the address and writes it there. Writing takes a
// moment: what is wanted meanwhile is kept, so that two changes at once do not
// undo each other.
export function useView() {
  const route = useRoute()
  const router = useRouter()
  const { query } = useScope()
  const view = computed(() => viewIn(route.query))
  let wanted = view.value
  let going = 0
  watch(view, (now) => {
    if (going === 0) wanted = now
  })
  async function show(change: Partial<View>) {
    wanted = { ...wanted, ...change }
    going++
    try {
      await router.replace({ query: { ...query.value, ...viewQuery(wanted) } })
    } finally {
      going--
    }
  }
  return { view, show }
}

// readAhead asks for the rows that an address shows, so that they are on
// their way while the place is drawn, and resolves when they are there or can't be had.
export function readAhead(query: LocationQuery) {
  const scope = scopeIn(query)
  const view = viewIn(query)
  return queryClient.prefetchInfiniteQuery({
    queryKey: keyOf(scope, view),
    queryFn: () => page(scope, view, ''),
    initialPageParam: '',
  })
}

// useLedger reads the Ledger page by page, as many pages as are asked for.
export function useLedger(scope: Ref<Scope>, view: Ref<View>) {
  const query = useInfiniteQuery({
    queryKey: computed(() => keyOf(scope.value, view.value)),
    queryFn: ({ pageParam }) => page(scope.value, view.value, pageParam),
    initialPageParam: '',
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
    shallow: true,
  })
  const columns = computed(() => query.data.value?.pages[0]?.columns ?? [])
  const rows = computed(() => query.data.value?.pages.flatMap((p) => p.rows) ?? [])
  const sort = computed(() => query.data.value?.pages[0]?.sort ?? 'name')
  const group = computed(() => query.data.value?.pages[0]?.group ?? 'origin')
  const found = computed(() => query.data.value?.pages[0]?.found ?? 0)
  const total = computed(() => query.data.value?.pages[0]?.total ?? 0)
  return { query, columns, rows, sort, group, found, total }
}
