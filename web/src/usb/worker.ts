// The worker in which this browser's bench lives: the bench itself is Go,
// compiled for browsers (cmd/roster-browser); here it is given what only
// JavaScript can ask of a browser.
import AdbWebCredentialStore from '@yume-chan/adb-credential-web'
import bench from '../../generated/bench.wasm?url'
import { files } from './files'
import { begin } from './go'
import { Link } from './link'
import { Plugged } from './plugged'
import { addressOf } from './standIn'
import type { FromWorker, Start, ToWorker } from './messages'

declare const self: {
  postMessage(m: FromWorker): void
  onmessage: ((e: MessageEvent<ToWorker>) => void) | null
  roster?: object
}

const say = (m: FromWorker) => self.postMessage(m)
let plugged: Plugged | undefined

async function start(m: Start) {
  plugged = new Plugged(new AdbWebCredentialStore('roster'))
  const worker = {
    phones: plugged.phones,
    files,
    link: new Link(m.token, plugged.addresses),
    key: m.key,
    standIns: m.standIns.map((s) => addressOf(s.number)),
    memory: () => 0, // bytes that the bench has, for who measures
    ready: () => say({ kind: 'ready' }),
    ended: (why: string) => say({ kind: 'ended', why }),
  }
  self.roster = worker
  await plugged.begin(m.standIns.filter((s) => m.attached.includes(s.number)))
  worker.memory = await begin(bench)
}

self.onmessage = (e) => {
  const m = e.data
  const failed = (err: unknown) => say({ kind: 'ended', why: String(err) })
  if (m.kind === 'start') start(m).catch(failed)
  else plugged?.take(m, failed)
}
