// Follows what the server sends as it happens.

const soonest = 2_000
const latest = 15_000

// follow opens a stream of events and hands each kind's to its handler, decoded.
// The browser comes back by itself after a lost connection, and gives up where
// the server, or what stands before it, answers with an error, as while it
// starts: from then on it is tried again, less and less often. Failed is told of
// either. The result ends it.
export function follow(
  path: string,
  handlers: Record<string, (data: never) => void>,
  failed: () => void = () => undefined,
): () => void {
  let source: EventSource
  let timer: ReturnType<typeof setTimeout> | undefined
  let wait = soonest
  function open() {
    source = new EventSource(path)
    source.addEventListener('open', () => (wait = soonest))
    source.addEventListener('error', () => {
      failed()
      if (source.readyState !== EventSource.CLOSED) return
      timer = setTimeout(open, wait)
      wait = Math.min(2 * wait, latest)
    })
    for (const [kind, handle] of Object.entries(handlers))
      source.addEventListener(kind, (e: MessageEvent<string>) => handle(JSON.parse(e.data) as never))
  }
  open()
  return () => {
    clearTimeout(timer)
    source.close()
  }
}
