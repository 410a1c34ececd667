import { ref } from 'vue'
import { words, type Schemas } from '@/api/client'
import { useTray } from '@/shell/tray'

// useIntoTray puts the edits that a sheet makes into the tray, then closes it.
export function useIntoTray(close: () => void) {
  const tray = useTray()
  const busy = ref(false)
  const wrong = ref('')
  async function put(edits: () => Schemas['EditInput'][]) {
    busy.value = true
    wrong.value = ''
    try {
      await tray.add(edits())
      close()
    } catch (e) {
      wrong.value = words(e)
    } finally {
      busy.value = false
    }
  }
  return { busy, wrong, put }
}

// linesOf takes a text apart into its lines, without empty ones.
export function linesOf(text: string): string[] {
  return text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
}

// slugOf makes the short word that a function goes by.
export function slugOf(text: string): string {
  return text.trim().toLowerCase().replace(/\s+/g, '-')
}
