// This browser as a bench: one of it for the whole page, in whichever place one
// is. Nothing of it is loaded before somebody asks for it, or a phone that was
// allowed before is plugged in.
import { ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import type { FromWorker, ToWorker } from '@/usb/messages'

export type LooseStandIn = Schemas['LooseStandIn']

// Which stand-ins hang on this browser is remembered, as the browser itself does
// for phones.
const keptIn = 'roster-stand-ins'

const state = ref<'off' | 'starting' | 'on'>('off')
const id = ref('') // of the bench
const wrong = ref('') // why it is not on
const standIns = ref<LooseStandIn[]>([])
const attached = ref<number[]>(kept())
let worker: Worker | undefined
let token = ''
let release: (() => void) | undefined

// lack says what keeps this page from phones, in the order in which it is to be
// looked at.
export const lack = (): 'secure' | 'usb' | '' =>
  !window.isSecureContext ? 'secure' : !('usb' in navigator) ? 'usb' : ''

// adb's interface, as Android's own documents have it.
const filters: USBDeviceFilter[] = [{ classCode: 0xff, subclassCode: 0x42, protocolCode: 1 }]

function kept(): number[] {
  const list: unknown = JSON.parse(localStorage.getItem(keptIn) ?? '[]')
  return Array.isArray(list) ? list.filter((n): n is number => typeof n === 'number') : []
}
function keep(list: number[]) {
  attached.value = list
  localStorage.setItem(keptIn, JSON.stringify(list))
}

// browserId is the number by which this browser is known again.
function browserId(): string {
  const key = 'roster-browser'
  const known = localStorage.getItem(key)
  if (known) return known
  const made = crypto.randomUUID()
  localStorage.setItem(key, made)
  return made
}

// alone takes the lock that one tab of a browser has; false where another has it.
function alone(): Promise<boolean> {
  return new Promise((told) => {
    void navigator.locks.request('roster-bench', { ifAvailable: true }, (lock) => {
      told(!!lock)
      return lock ? new Promise<void>((end) => (release = end)) : undefined
    })
  })
}

const say = (m: ToWorker) => worker?.postMessage(m)

async function start() {
  if (state.value !== 'off') return
  state.value = 'starting'
  wrong.value = ''
  try {
    if (!(await alone())) throw new Error('Another tab of this browser is the bench already: go on there, or close it.')
    const browser = browserId()
    const [bench] = await Promise.all([ask(api.POST('/api/v1/benches/browser', { body: { browser } })), known()])
    id.value = bench.id
    token = bench.token
    worker = new Worker(new URL('../../usb/worker.ts', import.meta.url), { type: 'module' })
    await new Promise<void>((ready, failed) => {
      worker!.onerror = (e) => failed(new Error(e.message || 'The bench could not be loaded.'))
      worker!.onmessage = (e: MessageEvent<FromWorker>) => {
        if (e.data.kind === 'ready') return ready()
        ended(e.data.why)
        failed(new Error(wrong.value))
      }
      say({
        kind: 'start',
        token,
        key: browser,
        standIns: standIns.value.map(({ number, name }) => ({ number, name })),
        attached: [...attached.value],
      })
    })
    state.value = 'on'
  } catch (e) {
    stop()
    wrong.value = e instanceof Error && e.name === 'Error' ? e.message : words(e)
  }
}

function ended(why: string) {
  stop()
  wrong.value =
    why === 'revoked'
      ? 'This browser was turned away: you signed out, another tab took over, or somebody revoked it. Begin anew.'
      : `The bench in this browser has ended: ${why || 'it was stopped'}. Begin anew; what was written down is kept.`
}

function stop() {
  worker?.terminate()
  worker = undefined
  release?.()
  release = undefined
  state.value = 'off'
  token = ''
}

// leave tells the server at once that the tab is going, instead of by silence.
function leave() {
  if (!token) return
  void fetch('/api/v1/link/leave', {
    method: 'POST',
    keepalive: true,
    credentials: 'omit',
    headers: { Authorization: `Bearer ${token}`, 'Content-Type': 'application/json' },
    body: '{}',
  })
}
window.addEventListener('pagehide', leave)
// A page that comes back from the browser's memory has lost its link's token.
window.addEventListener('pageshow', (e) => e.persisted && token && (stop(), void start()))

// known asks which stand-ins there are to attach: none outside the sample world.
async function known() {
  standIns.value = (await ask(api.GET('/api/v1/stand-ins'))).items
  keep(attached.value.filter((n) => standIns.value.some((s) => s.number === n)))
}

// attach lets the person pick a phone; it has to be called from a press of a
// button. The words say why none was picked, "" where one was.
async function attach(): Promise<string> {
  try {
    await navigator.usb.requestDevice({ filters })
  } catch (e) {
    if (e instanceof DOMException && e.name === 'NotFoundError')
      return 'No phone was picked. One that is not in the browser’s list has no USB debugging yet, or hangs on a cable that only charges.'
    return 'The browser does not let this page ask for a phone. Allow USB devices for it in the browser’s settings of this site.'
  }
  await start()
  say({ kind: 'look' })
  return ''
}

async function attachStandIn(s: LooseStandIn) {
  keep([...new Set([...attached.value, s.number])])
  if (state.value === 'on') say({ kind: 'attach', number: s.number, name: s.name })
  else await start()
}

function detachStandIn(number: number) {
  keep(attached.value.filter((n) => n !== number))
  say({ kind: 'detach', number })
}

// resume begins by itself where a phone is there that was allowed before.
let looked = false
async function resume() {
  if (looked || lack() === 'secure') return
  looked = true
  await known()
  const phones = lack() ? [] : await navigator.usb.getDevices()
  if (phones.length || attached.value.length) await start()
}

export function useThisBrowser() {
  const again = () => say({ kind: 'look' })
  return { state, id, wrong, standIns, attached, start, attach, attachStandIn, detachStandIn, resume, again }
}
