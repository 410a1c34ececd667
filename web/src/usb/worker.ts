// The worker in which this browser's bench lives: the bench itself is Go,
// compiled for browsers (cmd/roster-browser); here it is given what only
// JavaScript can ask of a browser.
import AdbWebCredentialStore from '@yume-chan/adb-credential-web'
import '../../generated/wasm_exec.js'
import bench from '../../generated/bench.wasm?url'
import { files } from './files'
import { addressOf, Link } from './link'
import { Phones } from './phones'
import { asUsb, bySocket, StandInUsb } from './standIn'
import type { FromWorker, Start, ToWorker } from './messages'

declare const self: {
  postMessage(m: FromWorker): void
  onmessage: ((e: MessageEvent<ToWorker>) => void) | null
  roster?: object
}
declare class Go {
  importObject: WebAssembly.Imports
  run(instance: WebAssembly.Instance): Promise<void>
}

const say = (m: FromWorker) => self.postMessage(m)
const standIns = new Map<number, StandInUsb>()
let phones: Phones | undefined

async function start(m: Start) {
  const windows = navigator.userAgent.includes('Windows')
  phones = new Phones(new AdbWebCredentialStore('roster'), windows)
  const worker = {
    phones,
    files,
    link: new Link(m.token, () => [...standIns.keys()].map(addressOf)),
    key: m.key,
    standIns: m.standIns.map((s) => addressOf(s.number)),
    memory: () => 0, // bytes that the bench has, for who measures
    ready: () => say({ kind: 'ready' }),
    ended: (why: string) => say({ kind: 'ended', why }),
  }
  self.roster = worker
  if (navigator.usb) await phones.from(navigator.usb)
  for (const s of m.standIns) if (m.attached.includes(s.number)) await attach(s.number, s.name)
  const go = new Go()
  const { instance } = await WebAssembly.instantiateStreaming(fetch(bench), go.importObject)
  worker.memory = () => (instance.exports.mem as WebAssembly.Memory).buffer.byteLength
  void go.run(instance)
}

async function attach(number: number, name: string) {
  if (standIns.has(number)) return
  const usb = new StandInUsb(name, addressOf(number), bySocket(number))
  standIns.set(number, usb)
  await phones?.from(asUsb(usb))
  await usb.begin()
}

self.onmessage = (e) => {
  const m = e.data
  const failed = (err: unknown) => say({ kind: 'ended', why: String(err) })
  switch (m.kind) {
    case 'start':
      start(m).catch(failed)
      break
    case 'look':
      void phones?.look()
      break
    case 'attach':
      attach(m.number, m.name).catch(failed)
      break
    case 'detach':
      standIns.get(m.number)?.detach()
      standIns.delete(m.number)
      break
  }
}
