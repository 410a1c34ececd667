import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'

type Role = Schemas['Person']['role']
// From who may least to who may most.
const degrees: readonly Role[] = ['technician', 'reviewer', 'maintainer', 'keeper']

// useSession tells who is signed in and what waits for them.
export function useSession() {
  const client = useQueryClient()
  const session = useQuery({
    queryKey: ['session'],
    queryFn: () => ask(api.GET('/api/v1/session')),
    refetchInterval: 60_000,
  })
  const person = computed(() => session.data.value?.person)
  const may = (role: Role) => !!person.value && degrees.indexOf(person.value.role) >= degrees.indexOf(role)
  async function signOut() {
    await ask(api.DELETE('/api/v1/session'))
    client.clear()
    location.assign('/')
  }
  return { session, person, may, signOut }
}
