// What is plugged into this browser: real phones, and stand-ins where the sample
// world has them.
import type { AdbCredentialStore } from '@yume-chan/adb'
import { Phones } from './phones'
import { addressOf, asUsb, bySocket, StandInUsb } from './standIn'

// ToPlugged is what a page tells its worker about what is plugged in: the person has
// picked a phone, or wants one tried again; a stand-in comes or goes.
export type ToPlugged =
  { kind: 'look' } | { kind: 'attach'; number: number; name: string } | { kind: 'detach'; number: number }

export class Plugged {
  readonly phones: Phones
  private readonly standIns = new Map<number, StandInUsb>()

  constructor(keys: AdbCredentialStore) {
    this.phones = new Phones(keys, navigator.userAgent.includes('Windows'))
  }

  // begin takes up phones that the person picked before, and stand-ins.
  async begin(attached: { number: number; name: string }[]) {
    if (navigator.usb) await this.phones.from(navigator.usb)
    for (const s of attached) await this.attach(s.number, s.name)
  }

  // take does what the page tells; failed is told what went wrong later.
  take(m: ToPlugged, failed: (err: unknown) => void) {
    if (m.kind === 'look') void this.phones.look()
    else if (m.kind === 'attach') this.attach(m.number, m.name).catch(failed)
    else this.detach(m.number)
  }

  private async attach(number: number, name: string) {
    if (this.standIns.has(number)) return
    const usb = new StandInUsb(name, addressOf(number), bySocket(number))
    this.standIns.set(number, usb)
    await this.phones.from(asUsb(usb))
    await usb.begin()
  }

  private detach(number: number) {
    this.standIns.get(number)?.detach()
    this.standIns.delete(number)
  }

  // addresses are those of the stand-ins that are attached.
  addresses = () => [...this.standIns.keys()].map(addressOf)
}
