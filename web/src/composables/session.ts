import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, shallowRef, watch } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { atLeast, type Role } from '@/format/roles'

// Whose page this is. It stays theirs when their session ends elsewhere, so that
// nothing they have written goes: they sign in on top of it.
const owner = shallowRef<Schemas['Person']>()
let leaving = false

// useSession tells who is signed in and what waits for them; ended, that somebody
// was, and has to sign in again before the server takes anything.
export function useSession() {
  const client = useQueryClient()
  const session = useQuery({
    queryKey: ['session'],
    queryFn: () => ask(api.GET('/api/v1/session')),
    refetchInterval: 60_000,
  })
  watch(
    () => session.data.value?.person,
    (p) => {
      if (p && !leaving) owner.value = p
    },
    { immediate: true, flush: 'sync' },
  )
  const person = computed(() => session.data.value?.person ?? owner.value)
  const ended = computed(() => !!owner.value && !!session.data.value && !session.data.value.person && !leaving)
  const may = (role: Role) => !!person.value && atLeast(person.value.role, role)
  async function signOut() {
    await ask(api.DELETE('/api/v1/session'))
    leaving = true
    client.clear()
    location.assign('/')
  }
  return { session, person, ended, may, signOut }
}
