// soon waits for what may be there in a moment, so that a page is drawn with it at once:
// 200 ms at most.
export function soon(what: Promise<unknown>): Promise<unknown> {
  return Promise.race([what, new Promise((late) => setTimeout(late, 200))])
}

// onceDrawn calls what can wait until what is on its way to the screen stands there.
export function onceDrawn(then: () => void) {
  requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(then)))
}
