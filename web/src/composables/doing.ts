import { ref } from 'vue'
import { words } from '@/api/client'

// useDoing carries something out at a time and says how it went: what was
// wrong, or what was done.
export function useDoing() {
  const busy = ref(false)
  const wrong = ref('')
  const said = ref('')
  async function run(what: () => Promise<unknown>, done = ''): Promise<boolean> {
    busy.value = true
    wrong.value = said.value = ''
    try {
      await what()
      said.value = done
      return true
    } catch (e) {
      wrong.value = words(e)
      return false
    } finally {
      busy.value = false
    }
  }
  return { busy, wrong, said, run }
}
