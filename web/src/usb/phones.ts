// Phones on this browser's USB, as bench/browser/host.go asks for them: which
// are there, in what state, and services of theirs. adb's device protocol is the
// library's.
import {
  Adb,
  AdbDaemonTransport,
  AdbPublicKeyAuthenticator,
  AdbSignatureAuthenticator,
  type AdbCredentialStore,
  type AdbSocket,
} from '@yume-chan/adb'
import { AdbDaemonWebUsbDevice, AdbDaemonWebUsbDeviceManager } from '@yume-chan/adb-daemon-webusb'
import { unusable } from './messages'
import type { MaybeConsumable, ReadableStreamDefaultReader, WritableStreamDefaultWriter } from '@yume-chan/stream-extra'

// A phone as the bench lists it; its states are adb's, and those of which
// bench/phones.go knows that only browsers have them.
export interface Listed {
  serial: string
  state: string
  product: string
  model: string
  device: string
}

interface Phone extends Listed {
  raw: USBDevice
  adb?: Adb
}

// againAfter is how soon a phone that another program holds is tried again.
const againAfter = 3_000

export class Phones {
  // changed is called whenever list would say something new.
  changed: (() => void) | null = null
  private readonly phones = new Map<USBDevice, Phone>()
  private readonly sources: { usb: USB; manager: AdbDaemonWebUsbDeviceManager }[] = []
  private readonly keys: AdbCredentialStore
  private readonly windows: boolean

  constructor(keys: AdbCredentialStore, windows: boolean) {
    this.keys = keys
    this.windows = windows
  }

  // from takes phones from a browser's USB, now and as they come.
  from(usb: USB) {
    this.sources.push({ usb, manager: new AdbDaemonWebUsbDeviceManager(usb) })
    usb.addEventListener('connect', () => void this.look())
    usb.addEventListener('disconnect', (e) => this.gone(e.device))
    return this.look()
  }

  // look takes up phones that were not there before, and tries those again that
  // could not be used.
  async look() {
    for (const { manager } of this.sources)
      for (const device of await manager.getDevices()) {
        const known = this.phones.get(device.raw)
        if (!known || unusable.includes(known.state)) void this.connect(device)
      }
  }

  list(): Listed[] {
    return [...this.phones.values()]
  }

  features(serial: string): readonly string[] | null {
    return this.ready(serial)?.adb.banner.features ?? null
  }

  // open opens a service of a phone; null where the phone is not there, words
  // where it refuses.
  async open(serial: string, service: string): Promise<Socket | string | null> {
    const phone = this.ready(serial)
    if (!phone) return null
    try {
      return new Socket(await phone.adb.createSocket(service), () => this.lose(phone))
    } catch (err) {
      if (nameOf(err) === 'Error') return this.ready(serial) ? wordsOf(err) : null
      this.lose(phone)
      return null
    }
  }

  private ready(serial: string): (Phone & { adb: Adb }) | undefined {
    return [...this.phones.values()].find(
      (p): p is Phone & { adb: Adb } => p.serial === serial && p.state === 'device' && !!p.adb,
    )
  }

  // lose ends a connection on which something could not be sent: what is read of
  // it does not tell. The phone is taken up anew.
  private lose(phone: Phone) {
    void phone.raw.close().catch(() => undefined)
  }

  private gone(raw: USBDevice) {
    if (this.phones.delete(raw)) this.changed?.()
  }

  private async connect(device: AdbDaemonWebUsbDevice) {
    const raw = device.raw
    const phone: Phone = {
      raw,
      serial: device.serial,
      state: 'connecting',
      product: '',
      model: raw.productName ?? '',
      device: '',
    }
    this.phones.set(raw, phone)
    const become = (state: string) => {
      phone.state = state
      this.changed?.()
    }
    become('connecting')
    try {
      const connection = await device.connect()
      let asked = false
      phone.adb = new Adb(
        await AdbDaemonTransport.authenticate({
          serial: device.serial,
          connection,
          credentialStore: this.keys,
          authenticators: [
            AdbSignatureAuthenticator,
            (keys, next) => {
              asked = true
              become('unauthorized')
              return AdbPublicKeyAuthenticator(keys, next)
            },
          ],
        }).catch((err: unknown) => {
          throw asked && this.phones.get(raw) === phone ? new Refused(wordsOf(err)) : err
        }),
      )
      const { state, product, model, device: name } = phone.adb.banner
      Object.assign(phone, { product: product ?? '', model: model ?? '', device: name ?? '' })
      become(state ?? 'device')
      await phone.adb.disconnected.catch((err: unknown) => console.info('a phone was lost:', wordsOf(err)))
    } catch (err) {
      console.info('a phone can not be used:', wordsOf(err))
      become(this.stateOf(err))
      if (phone.state === 'claimed') setTimeout(() => void this.look(), againAfter)
      await raw.close().catch(() => undefined)
      return
    }
    // The phone has ended it, or the cable is out; in the first case it is still
    // plugged in, and answers again.
    if (this.phones.get(raw) !== phone) return
    this.gone(raw)
    await raw.close().catch(() => undefined)
    await this.look()
  }

  // stateOf says in which state a phone is that can't be used.
  private stateOf(err: unknown): string {
    if (err instanceof Refused) return 'refused'
    if (err instanceof AdbDaemonWebUsbDevice.DeviceBusyError) return 'claimed'
    switch (nameOf(err)) {
      case 'SecurityError':
        return this.windows ? 'no driver' : 'no permissions'
      case 'NetworkError': // no system tells which of the two it is
        return this.windows ? 'no driver' : 'claimed'
    }
    return 'offline'
  }
}

class Refused extends Error {}

// nameOf is what a browser calls an error; classes have lost theirs once they are
// packed.
const nameOf = (err: unknown) => (err instanceof Error ? err.name : '')
const wordsOf = (err: unknown) => (err instanceof Error ? err.message || err.name : String(err))

// turn lets everything run that waits, which a timer does not do at once.
const { port1, port2 } = new MessageChannel()
const waiting: (() => void)[] = []
port1.onmessage = () => waiting.shift()?.()
const turn = () =>
  new Promise<void>((done) => {
    waiting.push(done)
    port2.postMessage(null)
  })

// Socket is a service that is open.
export class Socket {
  private readonly reader: ReadableStreamDefaultReader<Uint8Array>
  private readonly writer: WritableStreamDefaultWriter<MaybeConsumable<Uint8Array>>
  private readonly socket: AdbSocket

  constructor(
    socket: AdbSocket,
    private readonly lost: () => void,
  ) {
    this.socket = socket
    this.reader = socket.readable.getReader()
    this.writer = socket.writable.getWriter()
  }

  // read gives what comes next, null at the end. One piece is read ahead, so that
  // the phone is on its way with it while the bench is at work on the one before;
  // it sends no more than that.
  async read(): Promise<Uint8Array | null> {
    const { done, value } = await (this.ahead ?? this.reader.read())
    this.ahead = done ? undefined : this.reader.read()
    this.ahead?.catch(() => undefined) // whoever reads next is told
    if (done) return null
    await turn() // the phone hears first that it may go on
    return value
  }
  private ahead: ReturnType<ReadableStreamDefaultReader<Uint8Array>['read']> | undefined

  // write returns when the phone has taken it.
  async write(data: Uint8Array): Promise<void> {
    try {
      await this.writer.write(data)
    } catch (err) {
      if (nameOf(err) === 'NetworkError') this.lost()
      throw err
    }
  }

  close() {
    void Promise.resolve(this.socket.close()).catch(() => undefined)
    void this.reader.cancel().catch(() => undefined)
  }
}
