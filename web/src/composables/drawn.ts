// onceDrawn calls what can wait until what is on its way to the screen stands there.
export function onceDrawn(then: () => void) {
  requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(then)))
}
