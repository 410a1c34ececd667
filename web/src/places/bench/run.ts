import { onScopeDispose, ref, shallowRef } from 'vue'
import type { Schemas } from '@/api/client'
import { follow } from '@/api/events'

export type RunLine = Schemas['RunLine']
export type Run = Schemas['Run']
export type RunStep = Schemas['RunStep']
export type Rehearsal = Schemas['Rehearsed']
export type Choices = Schemas['BenchChoices']

export const noChoices: Choices = {
  leave: [],
  off: [],
  quiet: [],
  user: [],
  withData: [],
  given: [],
  keep: [],
  without: [],
  seen: [],
  noRestart: false,
  measure: false,
  anyway: false,
  ownersData: '',
}

// useRun follows a run while somebody looks: all of its steps at first, then
// those that change; all again after a lost connection.
export function useRun(id: string) {
  const run = shallowRef<Run>()
  const own = shallowRef<Schemas['BenchOwn']>()
  const gain = shallowRef<Schemas['Gain']>()
  const brings = shallowRef<Record<string, Schemas['Figure']>>()
  const here = shallowRef<Schemas['PhoneAt']>()
  const steps = shallowRef<RunStep[]>([])
  const missing = ref(false)
  function take(body: Schemas['RunBody']) {
    const known = new Map(steps.value.map((s) => [s.number, s]))
    for (const s of body.steps) known.set(s.number, s)
    steps.value = [...known.values()].sort((a, b) => a.number - b.number)
    run.value = body.run
    own.value = body.own
    gain.value = body.gain
    brings.value = body.brings
    here.value = body.here
    missing.value = false
  }
  onScopeDispose(follow(`/api/v1/runs/${id}/events`, { run: take }, () => (missing.value = !run.value)))
  return { run, steps, own, gain, brings, here, missing }
}

export const stepWord: Record<string, string> = {
  waiting: 'to go',
  sent: 'under way',
  done: 'done',
  already: 'already',
  absent: 'absent',
  refused: 'refused',
  failed: 'failed',
  skipped: 'skipped',
  unknown: 'unknown',
}

// stateOf says in words how a run stands.
export function stateOf(r: RunLine): string {
  switch (r.state) {
    case 'going':
      return r.stopAsked ? 'stops after this step' : r.puttingBack ? 'is being put back' : 'under way'
    case 'stopped':
      return 'stopped: it can go on'
    case 'held':
      return 'stopped by itself'
    case 'interrupted':
      return 'interrupted'
    case 'put-back':
      return 'put back'
  }
  return 'finished'
}

export const total = (r: RunLine) => Object.values(r.counts).reduce((n, m) => n + m, 0)
export function progressOf(r: RunLine): number {
  const all = total(r)
  const open = (r.counts.waiting ?? 0) + (r.counts.sent ?? 0) + (r.counts.unknown ?? 0)
  return all ? (all - open) / all : 0
}

// titleOf is what a run applies: a release by its number, or a draft.
export const titleOf = (r: { editionName: string; release: number }) =>
  r.release ? `${r.editionName}, no. ${r.release}` : `${r.editionName}, a draft`

const kindText: Record<string, string> = {
  'put-in': 'Put in',
  'withdraw-admin': 'Administrator withdrawn',
  condition: 'Seen to',
  setting: 'Set',
  wait: 'Wait',
  restart: 'Restart the phone',
  measure: 'Measure what it uses',
  look: 'Look what the phone has now',
  'set-back': 'Set back',
  'take-out': 'Take out',
}

// named says what a step is about that takes no package off.
export function named(s: RunStep): string {
  if (s.kind === 'setting' || s.kind === 'set-back') return `${kindText[s.kind]} ${s.key} = ${s.value}`
  if (s.kind === 'put-back') return 'Put back'
  if (s.kind === 'take-out') return `Take out ${s.label || s.package}`
  return s.text || kindText[s.kind] || s.kind
}
export const ofPackage = (s: RunStep) => ['remove', 'put-back'].includes(s.kind) && !!s.package

export const fitWord: Record<string, string> = {
  proven: 'proven here',
  'same-model': 'same model',
  'not-made': 'not made for this',
}

export const seconds = (n: number) => (n < 90 ? `${Math.max(1, Math.round(n))} s` : `${Math.round(n / 60)} min`)
