import { defineStore } from 'pinia'
import { onBeforeUnmount, onMounted } from 'vue'

export interface Key {
  // key as KeyboardEvent.key names it; several mean the same.
  keys: string[]
  does: string
  run: (e: KeyboardEvent) => void
}

// The keys of what is on screen now: '?' shows them.
export const useKeyList = defineStore('keys', {
  state: () => ({ groups: [] as Key[][], shown: false }),
})

function typing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null
  return !!t && (t.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(t.tagName))
}

// What a pointer pressed last keeps the focus, and nobody means it by a key.
let byPointer: EventTarget | null = null
window.addEventListener('pointerdown', (e) => (byPointer = (e.target as Element).closest('button, a, summary')), true)
window.addEventListener('focusin', (e) => {
  if (e.target !== byPointer) byPointer = null
})

// pressing says that a key presses a button or a link that somebody came to by
// keys: it is not the place's then.
function pressing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null
  return (e.key === 'Enter' || e.key === ' ') && t !== byPointer && !!t?.matches('button, a[href], summary')
}

// useKeys makes keys work while the component is on screen, unless somebody
// types into a field or a dialog is open.
export function useKeys(keys: Key[], options: { inDialog?: boolean } = {}) {
  const list = useKeyList()
  function press(e: KeyboardEvent) {
    if (e.ctrlKey || e.metaKey || e.altKey || typing(e) || pressing(e)) return
    if (!options.inDialog && document.querySelector('[role=dialog]')) return
    const key = keys.find((k) => k.keys.includes(e.key))
    if (!key) return
    e.preventDefault()
    key.run(e)
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
