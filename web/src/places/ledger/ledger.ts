import { useInfiniteQuery, keepPreviousData } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import type { LocationQuery } from 'vue-router'
import { api, ask, queryClient, type Schemas } from '@/api/client'
import { originWord } from '@/evidence/words'
import { scopeIn, type Scope } from '@/shell/scope'

export type LedgerRow = Schemas['LedgerRow']

// A line of the Ledger: the head of a group or a package.
export type Line =
  | { kind: 'group'; origin: string; title: string; rows: number; open: boolean }
  | { kind: 'row'; row: LedgerRow; index: number }

const keyOf = (scope: Scope, q: string) => ['ledger', scope, q]

const page = (scope: Scope, q: string, cursor: string) =>
  ask(
    api.GET('/api/v1/ledger', {
      params: { query: { ...scope, q: q || undefined, cursor: cursor || undefined, limit: 500 } },
    }),
  )

// filterIn reads the filter that an address carries.
export const filterIn = (query: LocationQuery) => (typeof query.q === 'string' ? query.q : '')

// readAhead asks for the rows that an address shows, so that they are on
// their way while the place is drawn.
export function readAhead(query: LocationQuery) {
  const scope = scopeIn(query)
  const q = filterIn(query)
  void queryClient.prefetchInfiniteQuery({
    queryKey: keyOf(scope, q),
    queryFn: () => page(scope, q, ''),
    initialPageParam: '',
  })
}

// useLedger reads the Ledger page by page, as many pages as are asked for.
export function useLedger(scope: Ref<Scope>, q: Ref<string>) {
  const query = useInfiniteQuery({
    queryKey: computed(() => keyOf(scope.value, q.value)),
    queryFn: ({ pageParam }) => page(scope.value, q.value, pageParam),
    initialPageParam: '',
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
  })
  const columns = computed(() => query.data.value?.pages[0]?.columns ?? [])
  const rows = computed(() => query.data.value?.pages.flatMap((p) => p.rows) ?? [])
  const found = computed(() => query.data.value?.pages[0]?.found ?? 0)
  const total = computed(() => query.data.value?.pages[0]?.total ?? 0)
  return { query, columns, rows, found, total }
}

// lines puts rows under the heads of their groups, without those of closed
// groups. Rows come ordered by group.
export function lines(rows: LedgerRow[], closed: Set<string>): Line[] {
  const out: Line[] = []
  const size = new Map<string, number>()
  for (const r of rows) size.set(r.origin, (size.get(r.origin) ?? 0) + 1)
  let origin: string | undefined
  let index = 0
  for (const row of rows) {
    if (row.origin !== origin) {
      origin = row.origin
      const title = originWord[origin] ?? origin
      out.push({ kind: 'group', origin, title, rows: size.get(origin) ?? 0, open: !closed.has(origin) })
    }
    if (!closed.has(row.origin)) out.push({ kind: 'row', row, index: index++ })
  }
  return out
}
