import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import { api, ask } from '@/api/client'

export interface Scope {
  maker?: string
  model?: string
  build?: string
}

// scopeIn reads the scope that an address carries.
export function scopeIn(query: LocationQuery): Scope {
  const text = (key: string) => {
    const v = query[key]
    return typeof v === 'string' && v !== '' ? v : undefined
  }
  const maker = text('maker')
  const model = maker ? text('model') : undefined
  return { maker, model, build: model ? text('build') : undefined }
}

// useScope reads the scope from the address and writes it there.
export function useScope() {
  const route = useRoute()
  const router = useRouter()
  const scope = computed<Scope>(() => scopeIn(route.query))
  function setScope(to: Scope) {
    const rest = { ...route.query }
    for (const key of ['maker', 'model', 'build'] as const) delete rest[key]
    const query: Record<string, string> = {}
    for (const key of ['maker', 'model', 'build'] as const) if (to[key]) query[key] = to[key]
    void router.push({ path: route.path, query: { ...rest, ...query } })
  }
  // query is what a link to another place carries along.
  const query = computed(() => {
    const q: Record<string, string> = {}
    for (const key of ['maker', 'model', 'build'] as const) {
      const v = scope.value[key]
      if (v) q[key] = v
    }
    return q
  })
  return { scope, setScope, query }
}

export function useMakers() {
  return useQuery({ queryKey: ['makers'], queryFn: () => ask(api.GET('/api/v1/makers')).then((r) => r.items) })
}

export function useModels(maker: () => string | undefined) {
  return useQuery({
    queryKey: computed(() => ['models', maker()]),
    enabled: computed(() => !!maker()),
    queryFn: () =>
      ask(api.GET('/api/v1/makers/{maker}/models', { params: { path: { maker: maker()! } } })).then((r) => r.items),
  })
}

export function useBuilds(maker: () => string | undefined, model: () => string | undefined) {
  return useQuery({
    queryKey: computed(() => ['builds', maker(), model()]),
    enabled: computed(() => !!maker() && !!model()),
    queryFn: () =>
      ask(
        api.GET('/api/v1/makers/{maker}/models/{model}/builds', {
          params: { path: { maker: maker()!, model: model()! } },
        }),
      ).then((r) => r.items),
  })
}

export function buildName(b: { version: string; carrier: string }): string {
  return b.carrier ? `${b.carrier} ${b.version}` : b.version
}

// buildShort fits above a presence strip: the edition by its first letter.
export function buildShort(b: { version: string; carrier: string }): string {
  return b.carrier ? `${b.carrier[0]} ${b.version}` : b.version
}
