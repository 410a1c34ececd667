import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'

export { editionName, editionOf, nameOf } from './names'

export type OnLine = Schemas['OnLine']
export type Gap = Schemas['Gap']
export type HeldRelease = Schemas['HeldRelease']
export type Hold = Schemas['Hold']
export type Compared = Schemas['Compared']
export type ComparedPackage = Schemas['ComparedPackage']
export type Cover = Schemas['BuildCover']

export const percent = (n: number, of: number) => (of ? Math.floor((100 * n) / of) : 0)

export function useTimeline(maker: () => string | undefined, model: () => string | undefined) {
  return useQuery({
    queryKey: computed(() => ['timeline', maker(), model()]),
    enabled: computed(() => !!maker() && !!model()),
    queryFn: () =>
      ask(
        api.GET('/api/v1/makers/{maker}/models/{model}/timeline', {
          params: { path: { maker: maker()!, model: model()! } },
        }),
      ),
  })
}

export const holdWord: Record<Hold['state'], string> = {
  stops: 'would stop',
  'role-at-risk': 'a job at risk',
  back: 'came back',
  renamed: 'another name',
  'package-gone': 'gone',
  unproven: 'not proven',
  covered: 'covered',
}

export const laneWord = { gone: 'Gone', changed: 'Changed', new: 'New', renamed: 'Other name' } as const

// addressOf leads to a comparison of two sides.
export const addressOf = (from: string, to: string, scope: Record<string, string>) => ({
  path: '/builds/compare',
  query: { maker: scope.maker, model: scope.model, from, to },
})
