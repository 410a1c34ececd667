import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { onBeforeUnmount, onMounted } from 'vue'
import { topLayer } from './layers'

export interface Key {
  // key as KeyboardEvent.key names it; several mean the same.
  keys: string[]
  does: string
  run: (e: { key: string; shiftKey: boolean }) => void
}

// The keys of what is on screen now: '?' shows them.
export const useKeyList = defineStore('keys', {
  state: () => ({ groups: [] as Key[][], shown: false }),
})

// How keys that write a character are pressed: by themselves, with Alt, with Ctrl
// and Alt, or not at all. Who speaks to a computer, or presses keys by accident,
// needs them out of the way. This browser remembers it.
export const ways = {
  plain: { words: 'by itself', before: [] },
  alt: { words: 'with Alt', before: ['Alt'] },
  'ctrl-alt': { words: 'with Ctrl and Alt', before: ['Ctrl', 'Alt'] },
  off: { words: 'not at all', before: [] },
} as const satisfies Record<string, { words: string; before: string[] }>
export type Way = keyof typeof ways
const stored = useLocalStorage<Way>('roster-keys', 'plain')
export const useKeyWay = () => stored

// writesCharacter tells the keys that a way is chosen for from Enter, Escape and
// the arrows, which are always pressed by themselves.
export const writesCharacter = (key: string) => [...key].length === 1 && key !== ' '

type Press = Pick<KeyboardEvent, 'key' | 'code' | 'ctrlKey' | 'altKey' | 'metaKey' | 'shiftKey'>

// keyOf is the key that somebody means, under the way that they have chosen;
// undefined where they mean none of ours. With Alt some keyboards write other
// characters: there it is the key's place that counts.
export function keyOf(e: Press, way: Way): string | undefined {
  if (e.metaKey) return undefined
  const plain = !e.ctrlKey && !e.altKey
  if (way === 'plain' || (plain && !writesCharacter(e.key))) return plain ? e.key : undefined
  if (way === 'off' || !e.altKey || e.ctrlKey !== (way === 'ctrl-alt')) return undefined
  const place = /^(?:Key|Digit)(.)$/.exec(e.code)?.[1]
  if (!place) return e.key
  return e.shiftKey ? place : place.toLowerCase()
}

function typing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null
  return !!t && (t.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(t.tagName))
}

// What a pointer pressed last keeps the focus, and nobody means it by a key.
let byPointer: EventTarget | null = null
let watching = false
function watchPointer() {
  if (watching) return
  watching = true
  window.addEventListener('pointerdown', (e) => (byPointer = (e.target as Element).closest('button, a, summary')), true)
  window.addEventListener('focusin', (e) => {
    if (e.target !== byPointer) byPointer = null
  })
}

// pressing says that a key presses a button or a link that somebody came to by
// keys: it is not the place's then.
function pressing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null
  return (e.key === 'Enter' || e.key === ' ') && t !== byPointer && !!t?.matches('button, a[href], summary')
}

// meant says that keys of the page, or of a dialog, are meant: not of what lies
// below something else.
function meant(inDialog: boolean): boolean {
  const top = topLayer()
  return inDialog ? !!top?.matches('.v-dialog') : !top
}

// useKeys makes keys work while the component is on screen, unless somebody
// types into a field, or a dialog or a menu is open: then those work that are
// of the dialog.
export function useKeys(keys: Key[], options: { inDialog?: boolean } = {}) {
  const list = useKeyList()
  watchPointer()
  function press(e: KeyboardEvent) {
    const pressed = keyOf(e, stored.value)
    if (pressed === undefined || typing(e) || pressing(e)) return
    if (!meant(options.inDialog ?? false)) return
    const key = keys.find((k) => k.keys.includes(pressed))
    if (!key) return
    e.preventDefault()
    key.run({ key: pressed, shiftKey: e.shiftKey })
  }
  onMounted(() => {
    window.addEventListener('keydown', press)
    list.groups.push(keys)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('keydown', press)
    list.groups = list.groups.filter((g) => g !== keys)
  })
}
