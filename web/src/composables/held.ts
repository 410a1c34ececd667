import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { ask } from '@/api/client'
import type { Subject } from '@/api/stale'

// useHeld reads something that several people may change, with the tag that
// says which revision it was.
export function useHeld<T>(key: Subject, read: () => Promise<{ data?: T; error?: unknown; response: Response }>) {
  const etag = ref('')
  const query = useQuery({
    queryKey: [key],
    queryFn: async () => {
      const answer = await read()
      etag.value = answer.response.headers.get('ETag') ?? ''
      return ask(Promise.resolve(answer))
    },
  })
  return { etag, query }
}
