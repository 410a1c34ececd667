import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { words } from '@/api/client'
import { touch, type Topic } from '@/api/stale'

// useChange changes something on the server, one thing at a time, and says how
// it went: busy while it goes on, then what was wrong, or what was done. What
// has become stale by it, as the topics say, has been read anew when run
// returns.
export function useChange(...topics: Topic[]) {
  const said = ref('')
  const change = useMutation({
    networkMode: 'always', // offline it fails, and says so
    mutationFn: (what: () => Promise<unknown>) => what(),
    onSuccess: () => touch(...topics),
  })
  const wrong = computed(() => (change.error.value ? words(change.error.value) : ''))
  // run reports whether it worked.
  async function run(what: () => Promise<unknown>, done = ''): Promise<boolean> {
    said.value = ''
    try {
      await change.mutateAsync(what)
      said.value = done
      return true
    } catch {
      return false
    }
  }
  // dismiss takes away what was said.
  function dismiss() {
    change.reset()
    said.value = ''
  }
  return { busy: change.isPending, wrong, said, run, dismiss }
}
