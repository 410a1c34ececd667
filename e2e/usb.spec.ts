// Phones on a browser's USB, as the worker sees them: the library that speaks
// adb's device protocol, our part around it, and a device that behaves as real
// ones do on their endpoints, down to the simulated phone itself. No browser is
// needed for that.
import { expect, test } from '@playwright/test'
import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { connect as dial } from 'node:net'
import { webcrypto } from 'node:crypto'
import { Phones, type Socket } from '../web/src/usb/phones'
import { asUsb, StandInUsb, type Plug, type Trouble } from '../web/src/usb/standIn'

const program = process.env.ROSTER_PROGRAM ?? ''

// A simulated phone, as a process of its own.
class StandIn {
  private constructor(
    private readonly child: ChildProcess,
    private readonly address: string,
    private readonly control: string,
  ) {}

  static async start(scenario = 'phones/lyra-5-bag.yaml'): Promise<StandIn> {
    const child = spawn(program, ['phone', '--listen', '127.0.0.1:0', '--hand', '127.0.0.1:0', '--scenario', scenario], { stdio: ['ignore', 'pipe', 'ignore'] })
    let said = ''
    for await (const piece of child.stdout) {
      said += String(piece)
      const where = /listens on (\S+), its hand on (\S+);/.exec(said)
      if (where) return new StandIn(child, where[1]!, where[2]!)
    }
    throw new Error(`the stand-in ended: ${said}`)
  }

  hand(...words: string[]) {
    execFileSync(program, ['phone', 'do', ...words, '--hand', this.control], { stdio: 'ignore' })
  }

  readonly plug: Plug = async (received, ended) => {
    // One that is not plugged in hangs up at once.
    const how = (await (await fetch(`http://${this.control}/`)).json()) as { plugged: boolean }
    if (!how.plugged) throw new Error('no cable')
    return new Promise((laid, fail) => {
      const [host, port] = this.address.split(':') as [string, string]
      const wire = dial(Number(port), host)
      wire.on('data', received)
      wire.on('error', () => undefined)
      wire.on('close', () => {
        fail(new Error('no cable'))
        ended()
      })
      wire.on('connect', () => laid({ send: (d) => wire.write(d), close: () => wire.destroy() }))
    })
  }

  end() {
    this.child.kill()
  }
}

// keys is a browser's store of keys, which remembers for as long as the test.
function keys() {
  const list: { buffer: Uint8Array; name: string }[] = []
  return {
    async generateKey() {
      const algorithm = { name: 'RSASSA-PKCS1-v1_5', modulusLength: 2048, publicExponent: new Uint8Array([1, 0, 1]), hash: 'SHA-1' }
      const { privateKey } = await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])
      const made = { buffer: new Uint8Array(await webcrypto.subtle.exportKey('pkcs8', privateKey)), name: 'roster@test' }
      list.push(made)
      return made
    },
    *iterateKeys() {
      yield* list
    },
  }
}

const soon = { timeout: 60_000 }
let standIn: StandIn
let usb: StandInUsb | undefined
test.beforeAll(async () => {
  standIn = await StandIn.start()
})
test.afterEach(() => usb?.detach())
test.afterAll(() => standIn?.end())

// attach plugs the phone in and lets the owner accept, where they are asked.
async function attach(trouble: Trouble = {}, store = keys(), windows = false) {
  usb = new StandInUsb('Lyra 5', 'S1', standIn.plug, trouble)
  const phones = new Phones(store, windows)
  await phones.from(asUsb(usb))
  await usb.begin()
  return phones
}
const state = (phones: Phones) => () => phones.list()[0]?.state
async function accepted(phones: Phones) {
  await expect.poll(state(phones), soon).toBe('unauthorized')
  await expect(() => standIn.hand('accept')).toPass(soon)
  await expect.poll(state(phones), soon).toBe('device')
}

async function all(socket: Socket | string | null): Promise<string> {
  if (!socket || typeof socket === 'string') throw new Error(`not open: ${socket}`)
  let text = ''
  const decoder = new TextDecoder()
  for (let piece = await socket.read(); piece; piece = await socket.read()) text += decoder.decode(piece, { stream: true })
  return text
}

test('a phone asks once, is known again by its key, and may be refused', async () => {
  const store = keys()
  const phones = await attach({}, store)
  await accepted(phones)
  expect(phones.list()[0]).toMatchObject({ serial: 'S1', model: 'Lyra 5' })
  expect(phones.features('S1')).toContain('shell_v2')
  expect(phones.features('S2')).toBeNull()
  usb?.detach()
  const again = await attach({}, store)
  await expect.poll(state(again), soon).toBe('device') // nobody had to accept
  usb?.detach()
  const stranger = await attach()
  await expect.poll(state(stranger), soon).toBe('unauthorized')
  await expect(() => standIn.hand('refuse')).toPass(soon)
  await expect.poll(() => ['refused', 'unauthorized', 'connecting', undefined].includes(state(stranger)()), soon).toBe(true)
  expect(stranger.features('S1')).toBeNull()
  expect(await stranger.open('S1', 'exec:id')).toBeNull()
})

test('answers of many megabytes, and messages that fill their last packet', async () => {
  const phones = await attach()
  await accepted(phones)
  const dump = await all(await phones.open('S1', `exec:${Array(7).fill('dumpsys package').join('; ')}`))
  expect(dump.length).toBeGreaterThan(1_200_000)
  expect(dump).toContain('com.brannock.wallet.core')
  // A message of exactly one, two and a thousand packets of 512 bytes: what comes
  // back tells that all of it has arrived.
  for (const size of [511, 512, 513, 1024, 512 * 500]) {
    const shell = await phones.open('S1', 'exec:sh')
    if (!shell || typeof shell === 'string') throw new Error('no shell')
    const command = `echo begin; : ${'x'.repeat(size - 27)}; echo end\n`
    await shell.write(new TextEncoder().encode(command.padStart(size, ' ')))
    let said = ''
    while (!said.includes('end\n')) said += new TextDecoder().decode((await shell.read()) ?? new Uint8Array())
    expect(said).toContain('begin')
    shell.close()
  }
  expect(await all(await phones.open('S1', 'exec:getprop ro.product.device'))).toContain('lyra5')
})

test('something short that is no message is passed over', async () => {
  const phones = await attach({ stray: true })
  await accepted(phones)
  expect(await all(await phones.open('S1', 'exec:echo hello'))).toContain('hello')
})

test('the cable falls out in the middle of an answer, and the phone is back by itself', async () => {
  const store = keys()
  const phones = await attach({}, store)
  await accepted(phones)
  usb?.detach()
  const cut = await attach({ outAfter: 120_000 }, store)
  await expect.poll(state(cut), soon).toBe('device')
  const text = await all(await cut.open('S1', 'exec:dumpsys package')).catch(() => '')
  expect(text.length).toBeLessThan(200_000)
  await expect.poll(state(cut), soon).toBe('device')
  expect(await all(await cut.open('S1', 'exec:echo back'))).toContain('back')
})

test('an endpoint that stalls ends the connection, not the phone', async () => {
  // The library leaves a promise of the connection that failed to nobody; a
  // browser notes that in its console, and Node.js would end the test.
  process.removeAllListeners('unhandledRejection')
  process.on('unhandledRejection', () => undefined)
  const store = keys()
  const phones = await attach({}, store)
  await accepted(phones)
  usb?.detach()
  const stalled = await attach({ stall: 12 }, store)
  await expect.poll(state(stalled), soon).toBe('device')
  await expect(async () => expect(await all(await stalled.open('S1', 'exec:echo on'))).toContain('on')).toPass(soon)
  for (let i = 0; i < 6; i++)
    await expect(async () => expect(await all(await stalled.open('S1', 'exec:echo on'))).toContain('on')).toPass(soon)
})

test('a phone that restarts goes, and comes back', async () => {
  const phones = await attach()
  await accepted(phones)
  expect(typeof (await phones.open('S1', 'reboot:'))).not.toBe('undefined')
  await expect.poll(() => phones.list().length, soon).toBe(0)
  await expect.poll(state(phones), soon).toBe('device')
})

test('why a phone can not be opened has a state of its own', async () => {
  for (const [trouble, windows, want] of [
    [{ opening: 'busy' }, false, 'claimed'],
    [{ opening: 'denied' }, false, 'no permissions'],
    [{ opening: 'denied' }, true, 'no driver'],
  ] as const) {
    const phones = await attach(trouble, keys(), windows)
    await expect.poll(state(phones), soon).toBe(want)
    usb?.detach()
  }
})
