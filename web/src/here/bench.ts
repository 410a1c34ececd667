// The bench of a release's own page, in a worker: what it shows, and what it can
// be asked for. Nothing is sent anywhere.
import { ref } from 'vue'
import type { Captured, Choices, FromWorker, Rehearsal, Release, ToWorker, View } from './messages'

export interface LooseStandIn {
  number: number
  name: string
  asking: number
  plugged: boolean
}

// adb's interface, as Android's own documents have it.
const filters: USBDeviceFilter[] = [{ classCode: 0xff, subclassCode: 0x42, protocolCode: 1 }]
const none: View = {
  phones: [],
  doing: '',
  progress: { step: 0, steps: 0, asking: '', bytes: 0 },
  trouble: '',
  phone: '',
  runs: [],
  ready: [],
}

// Bench is one of a page. The browser lets one tab have it.
export class Bench {
  readonly view = ref<View>(none)
  readonly ended = ref('')
  private worker: Worker | undefined

  // salt is what the phone's number is hashed with, for whoever tells what happened.
  constructor(private readonly salt: string) {}
  private started: Promise<void> | undefined
  private count = 0
  private readonly open = new Map<number, { done: (value: string) => void; fail: (e: Error) => void }>()

  // start loads it; "taken" where another tab has it.
  start(): Promise<void> {
    this.started ??= this.load().catch((e: unknown) => {
      this.started = undefined
      throw e
    })
    return this.started
  }

  private async load() {
    if (!(await alone())) throw new Error('taken')
    this.worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' })
    await new Promise<void>((ready, failed) => {
      this.worker!.onerror = (e) => failed(new Error(e.message))
      this.worker!.onmessage = (e: MessageEvent<FromWorker>) => {
        const m = e.data
        switch (m.kind) {
          case 'ready':
            return ready()
          case 'changed':
            this.view.value = JSON.parse(m.view) as View
            return
          case 'ended':
            this.ended.value = m.why
            return failed(new Error(m.why))
          case 'answer': {
            const asked = this.open.get(m.id)
            this.open.delete(m.id)
            if (m.wrong !== undefined) asked?.fail(new Error(m.wrong))
            else asked?.done(m.value ?? 'null')
          }
        }
      }
      this.say({ kind: 'start', key: kept('roster-here'), salt: this.salt, name: 'roster', attached: standInsKept() })
    })
  }

  private say(m: ToWorker) {
    this.worker?.postMessage(m)
  }

  private async ask<T>(what: string, more: object = {}, files?: File[]): Promise<T> {
    await this.start()
    const id = ++this.count
    const answer = new Promise<string>((done, fail) => this.open.set(id, { done, fail }))
    this.say({ kind: 'ask', id, what, with: JSON.stringify(more), files })
    return JSON.parse(await answer) as T
  }

  release = (document: string, signature: string, key: string, status: string, path: string) =>
    this.ask<Release>('open', { document, signature, key, status, path })
  tell = (status: string) => this.ask<null>('tell', { status })
  read = (phone: string) => this.ask<Rehearsal>('read', { phone })
  readOnly = (phone: string) => this.ask<null>('read-only', { phone })
  captured = () => this.ask<Captured>('captured')
  rehearse = (choices: Choices) => this.ask<Rehearsal>('rehearse', { choices })
  begin = (choices: Choices) => this.ask<string>('start', { choices })
  goOn = (run: string) => this.ask<null>('continue', { run })
  putBack = (run: string, names: string[], functions: string[]) =>
    this.ask<null>('put-back', { run, back: { names, functions } })
  // give hands over package files that the release puts in; nothing leaves the
  // browser.
  give = (files: File[]) => this.ask<{ packages: { package: string }[]; wrong: string[] }>('give', {}, files)
  look = (run: string) => this.ask<null>('look', { run })
  stop = () => this.ask<null>('stop')
  log = (run: string) => this.ask<string>('log', { run })
  fromLog = (text: string, phone: string) => this.ask<{ id: string; leftOut: string[] }>('from-log', { text, phone })

  // pick lets the person choose a phone; it has to be called from a press of a
  // button. It says whether one was picked.
  async pick(): Promise<'picked' | 'none' | 'refused'> {
    try {
      await navigator.usb.requestDevice({ filters })
    } catch (e) {
      return e instanceof DOMException && e.name === 'NotFoundError' ? 'none' : 'refused'
    }
    await this.start()
    this.say({ kind: 'look' })
    return 'picked'
  }

  // again tries phones once more that could not be used.
  again() {
    this.say({ kind: 'look' })
  }

  async attach(s: LooseStandIn) {
    localStorage.setItem(standInsIn, JSON.stringify([{ number: s.number, name: s.name }]))
    if (this.worker) this.say({ kind: 'attach', number: s.number, name: s.name })
    else await this.start()
  }

  detach() {
    for (const s of standInsKept()) this.say({ kind: 'detach', number: s.number })
    localStorage.removeItem(standInsIn)
  }

  // forget gives up the right to every phone that was picked.
  async forget() {
    this.detach()
    if ('usb' in navigator) for (const d of await navigator.usb.getDevices()) await d.forget()
  }
}

const standInsIn = 'roster-here-stand-ins'
function standInsKept(): { number: number; name: string }[] {
  const list: unknown = JSON.parse(localStorage.getItem(standInsIn) ?? '[]')
  return Array.isArray(list) ? (list as { number: number; name: string }[]) : []
}

// kept is a random word that this browser keeps under a name: phones are told
// apart by it and by nothing that anybody else knows.
function kept(name: string): string {
  const known = localStorage.getItem(name)
  if (known) return known
  const made = crypto.randomUUID()
  localStorage.setItem(name, made)
  return made
}

// alone takes the lock that one tab of a browser has; false where another has it.
function alone(): Promise<boolean> {
  return new Promise((told) => {
    void navigator.locks.request('roster-here', { ifAvailable: true }, (lock) => {
      told(!!lock)
      return lock ? new Promise<void>(() => undefined) : undefined
    })
  })
}

// standIns lists those of the sample world; none anywhere else.
export async function standIns(): Promise<LooseStandIn[]> {
  try {
    const a = await fetch('/api/v1/stand-ins')
    return a.ok ? ((await a.json()) as { items: LooseStandIn[] }).items : []
  } catch {
    return []
  }
}

// hand does to a stand-in what a hand would do.
export const hand = (number: number, action: string) =>
  fetch(`/api/v1/stand-ins/${number}/hand`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ action }),
  })
