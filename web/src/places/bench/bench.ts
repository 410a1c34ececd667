import { computed, onScopeDispose, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { follow } from '@/api/events'

export type Bench = Schemas['BenchLine']
export type Phone = Schemas['Phone']
export type StandIn = Schemas['StandIn']

// A phone, or a stand-in that is not attached, on one of the benches.
export interface Place {
  key: string
  bench: Bench
  phone?: Phone
  standIn?: StandIn
}

const benches = ref<Bench[]>()
let end: (() => void) | undefined
let users = 0

// useBenches follows the installation's benches while somebody looks.
export function useBenches() {
  users++
  end ??= follow('/api/v1/benches/events', { benches: (list: Bench[]) => (benches.value = list) })
  onScopeDispose(() => {
    if (--users > 0) return
    end?.()
    end = undefined
  })
  const ready = computed(() => benches.value?.reduce((n, b) => n + b.view.phones.filter((p) => p.ready).length, 0) ?? 0)
  return { benches, ready }
}

// placesOf lists a bench's phones, and its stand-ins that adb does not see.
export function placesOf(bench: Bench): Place[] {
  const standIn = (address: string) => bench.view.standIns.find((s) => s.address === address)
  const phones: Place[] = bench.view.phones.map((phone) => ({
    key: `${bench.id} ${phone.address || phone.handle}`, // the same as when it is away
    bench,
    phone,
    standIn: phone.address ? standIn(phone.address) : undefined,
  }))
  const seen = new Set(bench.view.phones.map((p) => p.address))
  const away = bench.view.standIns.filter((s) => !seen.has(s.address))
  return [...phones, ...away.map((s) => ({ key: `${bench.id} ${s.address}`, bench, standIn: s }))]
}

export function firmware(p: { carrier: string; version: string; release: string }): string {
  return `${p.carrier ? p.carrier + ' ' : ''}${p.version}, Android ${p.release}`
}
