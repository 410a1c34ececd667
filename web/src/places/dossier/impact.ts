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

export const kindWord: Record<string, string> = {
  library: 'library',
  overlay: 'changes its looks',
  'shared-uid': 'same user',
  permission: 'permission',
  stated: 'somebody says so',
}

// A neighbour is a package with every link to it; the hardest stands for them.
export interface Neighbour {
  name: string
  label: string
  load: string
  hard: boolean
  kinds: string[]
  lines: string[]
}

// What tells most of a package comes first.
const order = ['library', 'stated', 'overlay', 'shared-uid', 'permission'].map((k) => kindWord[k]!)
const weight = (n: Neighbour) => Math.min(...n.kinds.map((k) => order.indexOf(k.replace(', hard', ''))))

// neighbours puts the links to one package together: what is hard first.
export function neighbours(links: LinkTo[], end: 'on' | 'from'): Neighbour[] {
  const byName = new Map<string, Neighbour>()
  for (const l of links) {
    const name = l[end]
    let n = byName.get(name)
    if (!n) byName.set(name, (n = { name, label: l.label, load: l.load, hard: false, kinds: [], lines: [] }))
    const hard = l.strength === 'hard' && l.kind !== 'overlay'
    n.hard ||= hard
    n.kinds.push(kindWord[l.kind] + (hard ? ', hard' : ''))
    n.lines.push(...l.lines)
  }
  return [...byName.values()].sort(
    (a, b) => Number(b.hard) - Number(a.hard) || weight(a) - weight(b) || a.name.localeCompare(b.name),
  )
}

// short leaves out of a name what it has in common with the package in the
// middle, or else what leads every name.
export function short(name: string, beside: string): string {
  const parts = name.split('.')
  if (parts.length < 3) return name
  const shared = parts.slice(0, 2).join('.')
  return beside.startsWith(shared + '.') ? parts.slice(2).join('.') : parts.slice(1).join('.')
}
