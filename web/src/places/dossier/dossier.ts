import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import type { Scope } from '@/composables/scope'
import { count } from '@/format/numbers'

export type Dossier = Schemas['Dossier']

export function useDossier(name: Ref<string>, scope: Ref<Scope>) {
  return useQuery({
    queryKey: computed(() => ['dossier', name.value, scope.value]),
    queryFn: () =>
      ask(api.GET('/api/v1/packages/{name}', { params: { path: { name: name.value }, query: { ...scope.value } } })),
    placeholderData: keepPreviousData,
  })
}

export type Trials = Schemas['PackageTrials']

// useTrials are the trials one by one, read when somebody opens them.
export function useTrials(name: Ref<string>, scope: Ref<Scope>) {
  return useQuery({
    queryKey: computed(() => ['dossier', name.value, scope.value, 'trials']),
    queryFn: () =>
      ask(
        api.GET('/api/v1/packages/{name}/trials', {
          params: { path: { name: name.value }, query: { ...scope.value } },
        }),
      ),
  })
}

// byModel puts the builds of one model under each other's name, for its
// presence strip.
export function byModel(ships: Dossier['ships']) {
  const models = new Map<
    string,
    {
      model: string
      cells: string
      names: string[]
      first?: string
      last?: string
      firstSeen?: string
      lastSeen?: string
      builds: Dossier['ships']
    }
  >()
  for (const s of ships) {
    const key = `${s.maker}/${s.modelSlug}`
    let m = models.get(key)
    if (!m) models.set(key, (m = { model: s.model, cells: '', names: [], builds: [] }))
    const name = s.carrier ? `${s.carrier} ${s.version}` : s.version
    m.cells += s.ships ? (s.switchedOff ? 'H' : 'F') : s.phones ? 'E' : 'N'
    m.names.push(name)
    m.builds.push(s)
    if (!s.ships) continue
    m.first ??= name
    m.last = name
    if (s.firstSeen && (!m.firstSeen || s.firstSeen < m.firstSeen)) m.firstSeen = s.firstSeen
    if (s.lastSeen && (!m.lastSeen || s.lastSeen > m.lastSeen)) m.lastSeen = s.lastSeen
  }
  return [...models.values()]
}

// facts lists what captures tell of the package, each value with the builds
// where it is so; what is the same everywhere stands once.
export function facts(ships: Dossier['ships']) {
  const here = ships.filter((s) => s.ships)
  const each = (name: string, of: (s: Dossier['ships'][number]) => string) => {
    const values = new Map<string, string[]>()
    for (const s of here) {
      const v = of(s)
      values.set(v, [...(values.get(v) ?? []), `${s.model} ${s.carrier ? s.carrier + ' ' : ''}${s.version}`])
    }
    return { name, values: [...values.entries()].map(([value, on]) => ({ value, on })) }
  }
  // Permissions that every build asks for are told as a number; the others by
  // name.
  const always = (here[0]?.requests ?? []).filter((p) => here.every((s) => s.requests.includes(p)))
  const some = [...new Set(here.flatMap((s) => s.requests))].filter((p) => !always.includes(p))
  const short = (p: string) => p.replace(/^android\.permission\./, '')
  return [
    each('Version', (s) => s.versionName),
    each('Lies at', (s) => s.path),
    each('Privileged', (s) => (s.privileged ? 'yes' : 'no')),
    each('Switched off', (s) => (s.switchedOff ? 'yes' : 'no')),
    each('Starts at boot', (s) => (s.boot ? 'yes' : 'no')),
    each('Shared user', (s) => s.sharedUser || 'none'),
    {
      name: 'Asks for',
      values: [
        { value: count(always.length, 'permission'), on: [] as string[] },
        ...some.map((p) => ({
          value: short(p),
          on: here
            .filter((s) => s.requests.includes(p))
            .map((s) => `${s.model} ${s.carrier ? s.carrier + ' ' : ''}${s.version}`),
        })),
      ],
    },
  ].filter((f) => f.values.length && here.length)
}
