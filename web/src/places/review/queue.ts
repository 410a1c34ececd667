import { api, ask } from '@/api/client'

export type View = 'sent' | 'mine' | 'all'

// queueQuery reads one of the lists of changes.
export const queueQuery = (view: View) => ({
  queryKey: ['changes', view],
  queryFn: () =>
    ask(
      api.GET('/api/v1/changes', {
        params: {
          query: { ...{ sent: { state: 'sent' as const }, mine: { mine: true }, all: {} }[view], limit: 200 },
        },
      }),
    ).then((r) => r.items),
})
