// What lies over the page: dialogs and menus. While something does, the page's
// own keys are silent, and Escape closes the topmost alone.
import { nextTick, onScopeDispose, toValue, watch, type MaybeRefOrGetter } from 'vue'

// topLayer is what lies uppermost; undefined where nothing lies over the page.
export const topLayer = () => [...document.querySelectorAll<HTMLElement>('.v-overlay--active')].at(-1)

// focusList puts the focus on the list of the page.
export const focusList = () =>
  document.querySelector<HTMLElement>('#sheet [role=grid], #sheet [tabindex="0"]')?.focus({ preventScroll: true })

// useFocusBack gives the focus back, once what was open has closed, to what had
// it when it opened; where that has gone, to the list of the page.
export function useFocusBack(open: MaybeRefOrGetter<boolean> = true) {
  let opener: HTMLElement | undefined
  async function giveBack() {
    const to = opener
    opener = undefined
    if (!to) return
    await nextTick()
    // What closes may keep the focus for a frame or two, and somebody may have
    // gone on to something else meanwhile.
    for (let frames = 10; topLayer() && frames > 0; frames--) await new Promise(requestAnimationFrame)
    const now = document.activeElement
    if (topLayer() || (now && now !== document.body && !now.closest('.v-overlay'))) return
    if (to.isConnected && to !== document.body) to.focus({ preventScroll: true })
    else focusList()
  }
  watch(
    () => toValue(open),
    (now) => {
      if (now) opener = (document.activeElement as HTMLElement | null) ?? document.body
      else void giveBack()
    },
    { immediate: true, flush: 'sync' },
  )
  onScopeDispose(() => void giveBack())
}
