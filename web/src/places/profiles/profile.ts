import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'

export type Rules = Schemas['Rules']
export type Composition = Schemas['Composition']
export type Row = Schemas['Row']

// useProfile holds a profile and its rules as they are being changed; the
// server composes what they would make, nothing is written until keep.
export function useProfile(id: Ref<string>) {
  const client = useQueryClient()
  const query = useQuery({
    queryKey: computed(() => ['profile', id.value]),
    queryFn: () => ask(api.GET('/api/v1/profiles/{id}', { params: { path: { id: id.value } } })),
  })
  const rules = ref<Rules>()
  const composition = shallowRef<Composition>()
  const wrong = ref('')
  const busy = ref(false)
  const profile = computed(() => query.data.value)
  watch(
    profile,
    (p) => {
      if (!p) return
      rules.value = JSON.parse(JSON.stringify(p.rules)) as Rules
      composition.value = p.composition
    },
    { immediate: true },
  )
  const dirty = computed(() => !!profile.value && JSON.stringify(rules.value) !== JSON.stringify(profile.value.rules))

  // One request at a time; what was changed meanwhile is asked for next.
  let asking = false
  let again = false
  async function change(to: Rules) {
    rules.value = to
    if (asking) {
      again = true
      return
    }
    asking = true
    try {
      do {
        again = false
        composition.value = await ask(
          api.POST('/api/v1/profiles/{id}/composition', { params: { path: { id: id.value } }, body: rules.value }),
        )
      } while (again)
      wrong.value = ''
    } catch (e) {
      wrong.value = words(e)
    } finally {
      asking = false
    }
  }
  async function keep() {
    const p = profile.value
    if (!p || !rules.value) return
    await ask(
      api.PUT('/api/v1/profiles/{id}/rules', {
        params: { path: { id: id.value }, header: { 'If-Match': `"${p.revision}"` } },
        body: { purpose: p.purpose, rules: rules.value },
      }),
    )
    await query.refetch()
  }
  async function guarded<T>(f: () => Promise<T>): Promise<T | undefined> {
    busy.value = true
    wrong.value = ''
    try {
      return await f()
    } catch (e) {
      wrong.value = words(e)
      return undefined
    } finally {
      busy.value = false
    }
  }
  const save = () => guarded(keep)
  const publish = () =>
    guarded(async () => {
      if (dirty.value) await keep()
      const made = await ask(
        api.POST('/api/v1/profiles/{id}/releases', {
          params: { path: { id: id.value }, header: { 'If-Match': `"${profile.value!.revision}"` } },
        }),
      )
      await Promise.all([
        query.refetch(),
        client.invalidateQueries({ queryKey: ['releases'] }),
        client.invalidateQueries({ queryKey: ['dossier'] }),
      ])
      return made
    })
  return { query, profile, rules, composition, dirty, wrong, busy, change, save, publish }
}
