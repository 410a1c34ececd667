import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import type { Scope } from '@/shell/scope'

export type Dossier = Schemas['Dossier']

export function useDossier(name: Ref<string>, scope: Ref<Scope>) {
  return useQuery({
    queryKey: computed(() => ['dossier', name.value, scope.value]),
    queryFn: () =>
      ask(api.GET('/api/v1/packages/{name}', { params: { path: { name: name.value }, query: { ...scope.value } } })),
    placeholderData: keepPreviousData,
  })
}

// byModel puts the builds of one model under each other's name, for its
// presence strip.
export function byModel(ships: Dossier['ships']) {
  const models = new Map<
    string,
    { model: string; cells: string; names: string[]; first?: string; last?: string; versions: Set<string> }
  >()
  for (const s of ships) {
    let m = models.get(s.model)
    if (!m) models.set(s.model, (m = { model: s.model, cells: '', names: [], versions: new Set() }))
    const name = s.carrier ? `${s.carrier} ${s.version}` : s.version
    m.cells += s.ships ? (s.switchedOff ? 'H' : 'F') : 'E'
    m.names.push(name)
    if (s.ships) {
      m.first ??= name
      m.last = name
      m.versions.add(s.versionName)
    }
  }
  return [...models.values()]
}

// differences lists facts of the package that are not the same on every build
// that ships it; a fact that is the same stands once.
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
  return [
    each('Version', (s) => s.versionName),
    each('Lies at', (s) => s.path),
    each('Privileged', (s) => (s.privileged ? 'yes' : 'no')),
    each('Starts at boot', (s) => (s.boot ? 'yes' : 'no')),
    each('Shared user', (s) => s.sharedUser || 'none'),
    each('Asks for', (s) => `${s.requests} permissions`),
  ].filter((f) => f.values.length)
}
