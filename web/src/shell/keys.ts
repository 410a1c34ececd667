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

// useKeys makes keys work while the component is on screen, unless somebody
// types into a field or a dialog is open.
export function useKeys(keys: Key[], options: { inDialog?: boolean } = {}) {
  const list = useKeyList()
  function press(e: KeyboardEvent) {
    if (e.ctrlKey || e.metaKey || e.altKey || typing(e)) return
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
