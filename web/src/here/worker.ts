// The worker of a release's own page: a bench with no server, which is Go compiled
// for browsers (cmd/roster-here).
import AdbWebCredentialStore from '@yume-chan/adb-credential-web'
import bench from '../../generated/here.wasm?url'
import { files } from '@/usb/files'
import { begin } from '@/usb/go'
import { Plugged } from '@/usb/plugged'
import type { FromWorker, ToWorker } from './messages'

declare const self: {
  postMessage(m: FromWorker): void
  onmessage: ((e: MessageEvent<ToWorker>) => void) | null
  roster?: object
}

const say = (m: FromWorker) => self.postMessage(m)
let plugged: Plugged | undefined
let worker: ({ given?: File[] } & Record<string, unknown>) | undefined
let ask: ((what: string, json: string) => Promise<string>) | undefined

async function start(m: ToWorker & { kind: 'start' }) {
  plugged = new Plugged(new AdbWebCredentialStore(m.name))
  const mine: { ask?: typeof ask; given?: File[] } & Record<string, unknown> = {
    phones: plugged.phones,
    files,
    key: m.key,
    salt: m.salt,
    ready: () => {
      ask = mine.ask
      say({ kind: 'ready' })
    },
    changed: (view: string) => say({ kind: 'changed', view }),
    ended: (why: string) => say({ kind: 'ended', why }),
  }
  self.roster = worker = mine
  await plugged.begin(m.attached)
  await begin(bench)
}

self.onmessage = (e) => {
  const m = e.data
  const failed = (err: unknown) => say({ kind: 'ended', why: String(err) })
  if (m.kind === 'start') start(m).catch(failed)
  else if (m.kind !== 'ask') plugged?.take(m, failed)
  else {
    if (m.files && worker) worker.given = m.files
    ask?.(m.what, m.with).then(
      (value) => say({ kind: 'answer', id: m.id, value }),
      (err: unknown) => say({ kind: 'answer', id: m.id, wrong: err instanceof Error ? err.message : String(err) }),
    )
  }
}
