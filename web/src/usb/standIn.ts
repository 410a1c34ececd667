// A stand-in phone as a browser's USB would show it. What goes over its
// endpoints is carried to a simulated phone by whatever takes the place of the
// cable; that a message is a header in a transfer of its own, its payload in
// another, and that one which fills its last packet is followed by an empty one,
// is as on real phones.

// Cable carries bytes to a simulated phone.
export interface Cable {
  send(data: Uint8Array): void
  close(): void
}

// Plug lays a cable; received is called with what the phone says, ended when the
// cable is out. It fails where there is none.
export type Plug = (received: (data: Uint8Array) => void, ended: () => void) => Promise<Cable>

const headerSize = 24
const packetSize = 512

// Trouble is what a stand-in can be told to do wrong.
export interface Trouble {
  // busy: another program holds it; denied: the system does not let anybody open it.
  opening?: 'busy' | 'denied'
  // stall makes the so-manieth message to the phone fail.
  stall?: number
  // stray has something short come that is no message, as what a program before
  // has not read.
  stray?: boolean
  // outAfter pulls the cable once so many bytes have come from the phone.
  outAfter?: number
}

const endpoint = (endpointNumber: number, direction: USBDirection): USBEndpoint => ({
  endpointNumber,
  direction,
  type: 'bulk',
  packetSize,
})

const failed = (name: string, words: string) => new DOMException(words, name)

// StandInDevice is the device; it is there for as long as its cable.
class StandInDevice {
  readonly productName: string
  readonly serialNumber: string
  readonly vendorId = 0
  readonly productId = 0
  readonly configurations: USBConfiguration[]
  configuration: USBConfiguration | null = null
  opened = false
  private readonly transfers: Uint8Array<ArrayBuffer>[] = []
  private waiting: { length: number; done: (r: USBInTransferResult) => void; fail: (e: Error) => void } | undefined
  private coming = new Uint8Array(headerSize) // a header or payload that is not whole
  private filled = 0
  private inPayload = false
  private expected = 0 // bytes of a payload that are still to come from the host
  private owed = false // an empty packet has to follow what the host has sent
  private sent = 0
  private came = 0
  private out = false

  constructor(
    name: string,
    serial: string,
    private readonly trouble: Trouble,
    private readonly pull: () => void,
    private readonly cable: () => Cable,
  ) {
    this.productName = name
    this.serialNumber = serial
    const alternate: USBAlternateInterface = {
      alternateSetting: 0,
      interfaceName: null,
      interfaceClass: 0xff,
      interfaceSubclass: 0x42,
      interfaceProtocol: 1,
      endpoints: [endpoint(1, 'in'), endpoint(2, 'out')],
    }
    const usb = { interfaceNumber: 0, alternate, alternates: [alternate], claimed: false }
    this.configurations = [{ configurationValue: 1, configurationName: null, interfaces: [usb] }]
  }

  async open() {
    if (this.trouble.opening === 'denied') throw failed('SecurityError', 'Access denied.')
    this.opened = true
  }

  async close() {
    this.opened = false
    this.interface.claimed = false
    this.fail()
  }

  async selectConfiguration() {
    this.configuration = this.configurations[0]!
  }

  async claimInterface() {
    if (this.trouble.opening === 'busy') throw failed('NetworkError', 'Unable to claim interface.')
    this.interface.claimed = true
  }

  async selectAlternateInterface() {}

  private get interface() {
    return this.configurations[0]!.interfaces[0] as USBInterface & { claimed: boolean }
  }

  async transferOut(_: number, data: BufferSource): Promise<USBOutTransferResult> {
    const bytes = ArrayBuffer.isView(data)
      ? new Uint8Array(data.buffer, data.byteOffset, data.byteLength).slice()
      : new Uint8Array(data).slice()
    if (this.out || !this.opened) throw failed('NetworkError', 'The device was disconnected.')
    if (this.owed !== (bytes.length === 0)) throw failed('NetworkError', 'The empty packet is missing, or not wanted.')
    this.owed = bytes.length > 0 && bytes.length % packetSize === 0
    if (bytes.length === 0) return { bytesWritten: 0, status: 'ok' }
    if (this.expected === 0) {
      if (bytes.length !== headerSize) throw failed('NetworkError', 'A message begins with a header of its own.')
      if (++this.sent === this.trouble.stall) throw failed('NetworkError', 'A transfer error has occurred.')
      this.expected = new DataView(bytes.buffer).getUint32(12, true)
    } else {
      this.expected -= bytes.length
    }
    this.cable().send(bytes)
    return { bytesWritten: bytes.length, status: 'ok' }
  }

  transferIn(_: number, length: number): Promise<USBInTransferResult> {
    if (this.out || !this.opened) return Promise.reject(failed('NetworkError', 'The device was disconnected.'))
    return new Promise((done, fail) => {
      this.waiting = { length, done, fail }
      this.serve()
    })
  }

  // stray is what was left over.
  private strayed = false

  // received cuts what the phone says into transfers.
  received(data: Uint8Array) {
    this.came += data.length
    if (this.trouble.stray && !this.strayed) this.transfers.push(new Uint8Array(5))
    this.strayed = true
    for (let at = 0; at < data.length;) {
      const taken = Math.min(data.length - at, this.coming.length - this.filled)
      this.coming.set(data.subarray(at, at + taken), this.filled)
      this.filled += taken
      at += taken
      if (this.filled === this.coming.length) this.filledUp()
    }
    if (this.trouble.outAfter && this.came >= this.trouble.outAfter) this.pull()
    else this.serve()
  }

  // filledUp takes a header that is whole, and waits for its payload next; or a
  // payload, and waits for a header.
  private filledUp() {
    const whole = this.coming
    this.transfers.push(whole)
    const size = this.inPayload ? 0 : new DataView(whole.buffer).getUint32(12, true)
    this.inPayload = size > 0
    this.coming = new Uint8Array(size || headerSize)
    this.filled = 0
  }

  // serve ends a transfer that the host waits for.
  private serve() {
    const w = this.waiting
    const next = this.transfers[0]
    if (!w || !next) return
    const piece = next.slice(0, Math.min(w.length, next.length))
    this.waiting = undefined
    this.transfers.shift()
    const rest = next.slice(piece.length)
    // What fills its last packet ends with an empty one, which the host reads by
    // itself where it had asked for more.
    if (rest.length > 0 || (piece.length === w.length && piece.length > 0 && piece.length % packetSize === 0))
      this.transfers.unshift(rest)
    w.done({ data: new DataView(piece.buffer), status: 'ok' })
  }

  // fail ends what the host waits for.
  fail() {
    this.waiting?.fail(failed('NetworkError', 'A transfer error has occurred.'))
    this.waiting = undefined
    this.transfers.length = 0
  }

  unplugged() {
    this.out = true
    this.fail()
  }
}

// lookEvery is how often a cable that is out is looked at again.
const lookEvery = 400

// StandInUsb is a browser's USB with one stand-in, which comes and goes with its
// cable.
export class StandInUsb extends EventTarget {
  private device: StandInDevice | undefined
  private cable: Cable | undefined
  private timer: ReturnType<typeof setTimeout> | undefined
  private ended = false

  constructor(
    private readonly name: string,
    private readonly serial: string,
    private readonly plug: Plug,
    private readonly trouble: Trouble = {},
  ) {
    super()
  }

  // begin plugs it in as soon as that can be.
  async begin() {
    clearTimeout(this.timer)
    if (this.ended || this.device) return
    const device = new StandInDevice(
      this.name,
      this.serial,
      this.trouble,
      () => this.cable?.close(),
      () => this.cable!,
    )
    try {
      this.cable = await this.plug(
        (data) => device.received(data),
        () => this.pulled(device),
      )
    } catch {
      this.timer = setTimeout(() => void this.begin(), lookEvery)
      return
    }
    this.device = device
    this.tell('connect', device)
  }

  // detach takes it off for good.
  detach() {
    this.ended = true
    clearTimeout(this.timer)
    this.cable?.close()
  }

  async getDevices() {
    return this.device ? [this.device] : []
  }

  private pulled(device: StandInDevice) {
    device.unplugged()
    if (this.device !== device) return
    this.device = undefined
    this.tell('disconnect', device)
    if (!this.ended) this.timer = setTimeout(() => void this.begin(), lookEvery)
  }

  private tell(what: string, device: StandInDevice) {
    this.dispatchEvent(Object.assign(new Event(what), { device }))
  }
}

// asUsb is the stand-in as what the browser's own would be.
export const asUsb = (usb: StandInUsb) => usb as unknown as USB

// bySocket lays the cable to a stand-in of the sample world.
export const bySocket =
  (number: number): Plug =>
  (received, ended) =>
    new Promise((laid, fail) => {
      const ws = new WebSocket(`/api/v1/stand-ins/${number}/cable`)
      ws.binaryType = 'arraybuffer'
      ws.onmessage = (e: MessageEvent<ArrayBuffer>) => received(new Uint8Array(e.data))
      ws.onopen = () => laid({ send: (data) => ws.send(data as Uint8Array<ArrayBuffer>), close: () => ws.close() })
      ws.onclose = () => {
        fail(new Error('there is no cable'))
        ended()
      }
    })

// addressOf is what a stand-in is called by the bench; see server/bench_stand_ins.go.
export const addressOf = (number: number) => `stand-in:${number}`
export const numberOf = (address: string) => Number(address.replace('stand-in:', ''))
