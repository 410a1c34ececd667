import { api, ask } from '@/api/client'

export type View = 'sent' | 'mine' | 'all'

const read = (view: View, limit: number, cursor?: string) =>
  ask(
    api.GET('/api/v1/changes', {
      params: {
        query: { ...{ sent: { state: 'sent' as const }, mine: { mine: true }, all: {} }[view], limit, cursor },
      },
    }),
  )

// queueQuery reads the head of one of the lists of changes.
export const queueQuery = (view: View) => ({
  queryKey: ['changes', view] as const,
  queryFn: () => read(view, 200).then((page) => page.items),
})

// queuePages reads a list of changes page by page.
export const queuePages = (view: View) => ({
  queryKey: ['changes', view, 'pages'] as const,
  initialPageParam: undefined as string | undefined,
  queryFn: ({ pageParam }: { pageParam?: string }) => read(view, 100, pageParam),
  getNextPageParam: (last: { next: string }) => last.next || undefined,
})
