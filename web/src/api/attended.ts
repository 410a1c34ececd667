// What a page asks by itself, while nobody has touched it for a while, keeps no
// sign-in from ending: it says so. See InstallationRules in the server.
const unattendedAfter = 2 * 60_000
let touched = Date.now()

for (const kind of ['pointerdown', 'pointermove', 'keydown', 'wheel', 'touchstart'])
  window.addEventListener(kind, () => (touched = Date.now()), { capture: true, passive: true })

export const unattended = () => Date.now() - touched > unattendedAfter
