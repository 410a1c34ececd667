// The link of this browser's bench to the server, as bench/browser/wire.go asks
// for it: plain requests with the bench's own token, and never with a cookie.
import { createParser } from 'eventsource-parser'
import { numberOf } from './standIn'

export interface Answer {
  status: number
  body: Uint8Array
}

const answerOf = async (a: Response): Promise<Answer> => ({
  status: a.status,
  body: new Uint8Array(await a.arrayBuffer()),
})

// Text is a text on its way to the server.
export class Text {
  private readonly writer
  private readonly packed
  private ended: Promise<void> | undefined

  constructor(private readonly post: (signal: AbortSignal, query: string, body: ArrayBuffer) => Promise<Response>) {
    const gzip = new CompressionStream('gzip')
    this.writer = gzip.writable.getWriter()
    this.packed = new Response(gzip.readable).arrayBuffer()
  }

  write(piece: Uint8Array<ArrayBuffer>) {
    void this.writer.write(piece)
  }

  async send(signal: AbortSignal, query: string): Promise<Answer> {
    this.ended ??= this.writer.close()
    await this.ended
    return answerOf(await this.post(signal, query, await this.packed))
  }
}

export class Link {
  readonly server = location.origin
  constructor(
    private readonly token: string,
    // attached says which stand-ins hang on this browser, by their addresses.
    private readonly attached: () => string[],
  ) {}

  private ask(signal: AbortSignal, path: string, more: RequestInit) {
    return fetch(`/api/v1/link/${path}`, {
      ...more,
      signal,
      credentials: 'omit',
      headers: { ...more.headers, Authorization: `Bearer ${this.token}` },
    })
  }

  async post(signal: AbortSignal, path: string, body: Uint8Array<ArrayBuffer>): Promise<Answer> {
    const headers = { 'Content-Type': 'application/json' }
    return answerOf(await this.ask(signal, path, { method: 'POST', body, headers }))
  }

  async get(signal: AbortSignal, path: string): Promise<Answer> {
    return answerOf(await this.ask(signal, path, {}))
  }

  // text begins a text that is compressed as it comes, and sent when it is whole.
  text(path: string): Text {
    return new Text((signal, query, body) =>
      this.ask(signal, `${path}?${query}`, {
        method: 'POST',
        body,
        headers: { 'Content-Type': 'text/plain', 'Content-Encoding': 'gzip' },
      }),
    )
  }

  // requests hands on the server's events until the connection ends, or take
  // says that it has fallen behind.
  async requests(signal: AbortSignal, take: (event: string, data: string) => boolean): Promise<Answer> {
    const a = await this.ask(signal, 'requests', {})
    if (!a.ok || !a.body) return answerOf(a)
    let behind = false
    const parser = createParser({ onEvent: (e) => (behind ||= !take(e.event ?? '', e.data)) })
    const reader = a.body.pipeThrough(new TextDecoderStream()).getReader()
    for (;;) {
      const { done, value } = await reader.read()
      if (!done) parser.feed(value)
      if (!done && !behind) continue
      await reader.cancel()
      return { status: 200, body: new Uint8Array() }
    }
  }

  // hand does to a stand-in what a hand would do. It is the person who does it,
  // not the bench.
  async hand(signal: AbortSignal, address: string, action: string, more: string): Promise<Answer> {
    if (!this.attached().includes(address)) throw new Error('this stand-in does not hang on this browser')
    return answerOf(
      await fetch(`/api/v1/stand-ins/${numberOf(address)}/hand`, {
        method: 'POST',
        signal,
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ action, with: more || undefined }),
      }),
    )
  }
}
