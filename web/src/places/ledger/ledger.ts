import { useInfiniteQuery, keepPreviousData } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import { api, ask, queryClient, type Schemas } from '@/api/client'
import { loadWord, originWord } from '@/format/vocabulary'
import { scopeIn, useScope, type Scope } from '@/composables/scope'

export type LedgerRow = Schemas['LedgerRow']

// A line of the Ledger: the head of a group or a package.
export type Line =
  | { kind: 'group'; group: string; title: string; rows: number; open: boolean }
  | { kind: 'row'; row: LedgerRow; index: number }

// What the Ledger can be ordered and grouped by, with the words for it.
export const sorts = {
  name: 'name',
  load: 'load, heaviest first',
  ceiling: 'ceiling, lowest first',
  standing: 'standing, firmest first',
  trials: 'trials, most first',
  builds: 'builds, most first',
  newest: 'newest firmware',
} as const
export const groups = {
  origin: 'origin',
  namespace: 'namespace',
  load: 'load',
  function: 'function',
  maker: 'maker',
  none: 'nothing',
} as const

// View is how somebody looks at the Ledger; the address carries it.
export interface View {
  q: string
  sort: keyof typeof sorts
  group: keyof typeof groups
}

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

// viewIn reads the view that an address carries.
export function viewIn(query: LocationQuery | Record<string, string | undefined>): View {
  const text = (v: unknown) => (typeof v === 'string' ? v : '')
  const sort = text(query.sort)
  const group = text(query.group)
  return {
    q: text(query.q),
    sort: sort in sorts ? (sort as View['sort']) : 'name',
    group: group in groups ? (group as View['group']) : 'origin',
  }
}

// viewQuery is the part of an address that carries a view.
export function viewQuery(view: View): Record<string, string> {
  return {
    ...(view.q ? { q: view.q } : {}),
    ...(view.sort !== 'name' ? { sort: view.sort } : {}),
    ...(view.group !== 'origin' ? { group: view.group } : {}),
  }
}

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
// their way while the place is drawn.
export function readAhead(query: LocationQuery) {
  const scope = scopeIn(query)
  const view = viewIn(query)
  void queryClient.prefetchInfiniteQuery({
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
  })
  const columns = computed(() => query.data.value?.pages[0]?.columns ?? [])
  const rows = computed(() => query.data.value?.pages.flatMap((p) => p.rows) ?? [])
  const found = computed(() => query.data.value?.pages[0]?.found ?? 0)
  const total = computed(() => query.data.value?.pages[0]?.total ?? 0)
  return { query, columns, rows, found, total }
}

// titleOf is what a group is called: the server writes two digits for its
// place, a colon and the value.
function titleOf(kind: View['group'], group: string): string {
  const value = group.slice(3)
  if (kind === 'origin') return originWord[value] ?? value
  if (kind === 'load') return loadWord[value] ?? value
  if (kind === 'function') return value || 'no function named'
  if (kind === 'maker') return value || (group.startsWith('01') ? 'several makers' : 'no image')
  return value
}

// lines puts rows under the heads of their groups, without those of closed
// groups. Rows come ordered by group.
export function lines(rows: LedgerRow[], kind: View['group'], closed: Set<string>): Line[] {
  const out: Line[] = []
  const size = new Map<string, number>()
  for (const r of rows) size.set(r.group, (size.get(r.group) ?? 0) + 1)
  let group: string | undefined
  let index = 0
  for (const row of rows) {
    if (kind !== 'none' && row.group !== group) {
      group = row.group
      out.push({
        kind: 'group',
        group,
        title: titleOf(kind, group),
        rows: size.get(group) ?? 0,
        open: !closed.has(group),
      })
    }
    if (!closed.has(row.group)) out.push({ kind: 'row', row, index: index++ })
  }
  return out
}
