import { useQuery } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { confirming } from '@/composables/passkeys'
import { useChange } from '@/composables/change'
import { useDraft } from '@/composables/draft'
import { reused } from './line'

export type Rules = Schemas['Rules']
export type Composition = Schemas['Composition']
export type Row = Schemas['Row']
export type Step = Schemas['Step']
export type Pin = Schemas['Pin']

// methods are those of a profile, gentlest first.
export const methods = [
  'quieten',
  'disable',
  'remove-for-user',
  'remove-from-image',
] as const satisfies readonly Rules['method'][]
export type Extra = Schemas['Extra']
export type Publication = Schemas['Publication']

// useProfile holds a profile and its rules as they are being changed; the
// server composes what they would make, nothing is written until keep. What is
// being changed stays when the profile is read again, as after a lost
// connection: keep then tells whether somebody else was faster.
export function useProfile(id: Ref<string>, mayChange: () => boolean) {
  const query = useQuery({
    queryKey: computed(() => ['profile', id.value]),
    shallow: true, // hundreds of rows, which nobody changes in place
    queryFn: () => ask(api.GET('/api/v1/profiles/{id}', { params: { path: { id: id.value } } })),
  })
  const rules = ref<Rules>()
  const sisters = ref<string[]>([])
  const composition = shallowRef<Composition>()
  const doing = useChange('releases')
  const composing = ref('') // what was wrong when the rules were last composed
  const wrong = computed(() => doing.wrong.value || composing.value)
  const profile = computed(() => query.data.value)
  // What the rules were changed from.
  const from = shallowRef<Schemas['Composed']>()
  const dirty = computed(
    () =>
      !!from.value &&
      (JSON.stringify(rules.value) !== JSON.stringify(from.value.rules) ||
        [...sisters.value].sort().join() !==
          from.value.sisters
            .map((s) => s.id)
            .sort()
            .join()),
  )
  // over is the revision that rules were changed from which came back, where that
  // is the profile's no longer: keeping them takes the place of what is newer.
  const over = ref<number>()
  function take(p: Schemas['Composed']) {
    from.value = p
    rules.value = JSON.parse(JSON.stringify(p.rules)) as Rules
    sisters.value = p.sisters.map((s) => s.id)
    composition.value = p.composition
    over.value = undefined
  }
  watch(
    profile,
    (p) => {
      if (!p) return
      const before = from.value
      if (p.id !== before?.id || !dirty.value) return take(p)
      if (p.revision === before.revision) return
      over.value ??= before.revision
      from.value = p
    },
    { immediate: true },
  )
  const own = () => ({ path: { id: id.value } })
  // letGo takes back what was changed and not kept.
  const letGo = () => void (profile.value && take(profile.value))
  const draft = useDraft<Schemas['DraftProfile']>({
    key: ['rules-draft', id.value],
    read: async () => (await ask(api.GET('/api/v1/profiles/{id}/draft', { params: own() }))).draft,
    write: (content, keepalive) =>
      content
        ? ask(api.PUT('/api/v1/profiles/{id}/draft', { params: own(), body: content, keepalive }))
        : ask(api.DELETE('/api/v1/profiles/{id}/draft', { params: own(), keepalive })),
    content: () =>
      dirty.value && from.value && rules.value
        ? { revision: over.value ?? from.value.revision, rules: rules.value, sisters: sisters.value }
        : undefined,
    take: (content) => {
      if (!content) return letGo()
      if (content.revision < from.value!.revision) over.value = content.revision
      sisters.value = content.sisters
      void change(content.rules)
    },
    ready: () => !!from.value && mayChange(),
  })
  const open = computed(() => profile.value?.publications.find((p) => p.state === 'open'))
  // What was asked for last, where changed rules have ended it.
  const outdated = computed(() => {
    const [last] = profile.value?.publications ?? []
    return last?.state === 'outdated' ? last : undefined
  })

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
        const now = await ask(
          api.POST('/api/v1/profiles/{id}/composition', { params: { path: { id: id.value } }, body: rules.value }),
        )
        composition.value = { ...now, rows: reused(composition.value?.rows ?? [], now.rows) }
      } while (again)
      composing.value = ''
    } catch (e) {
      composing.value = words(e)
    } finally {
      asking = false
    }
  }
  const matching = () => ({ path: { id: id.value }, header: { 'If-Match': `"${from.value!.revision}"` } })
  async function keep() {
    const p = from.value
    if (!p || !rules.value) return
    await ask(
      api.PUT('/api/v1/profiles/{id}/rules', {
        params: matching(),
        body: { purpose: p.purpose, rules: rules.value, sisters: sisters.value },
      }),
    )
    const { data } = await query.refetch()
    if (data) take(data)
  }
  const save = () => doing.run(() => draft.send(keep))
  // askFor asks another person to publish the profile as it is kept.
  const askFor = (changes: string[], wordsTo: string) =>
    doing.run(async () => {
      await ask(
        api.POST('/api/v1/profiles/{id}/publications', { params: matching(), body: { changes, words: wordsTo } }),
      )
      await query.refetch()
    })
  // decide returns what was published, undefined where nothing was.
  async function decide(publication: string, verdict: 'published' | 'returned' | 'taken-back', answer: string) {
    let made: Schemas['VerdictOutputBody'] | undefined
    await doing.run(async () => {
      made = await confirming(() =>
        ask(
          api.POST('/api/v1/publications/{id}/decision', {
            params: { path: { id: publication } },
            body: { verdict, answer },
          }),
        ),
      )
      await query.refetch()
    })
    return made
  }
  return {
    query,
    profile,
    rules,
    sisters,
    composition,
    dirty,
    draft,
    over,
    letGo,
    wrong,
    busy: doing.busy,
    open,
    outdated,
    change,
    save,
    askFor,
    decide,
  }
}

// useComparison tells how the profile, as it is kept, differs from a release
// of it (the newest by default) or from another profile.
export function useComparison(id: Ref<string>, revision: Ref<number>, other: Ref<string>) {
  return useQuery({
    queryKey: computed(() => ['profile-comparison', id.value, revision.value, other.value]),
    queryFn: () =>
      ask(
        api.GET('/api/v1/profiles/{id}/comparison', {
          params: {
            path: { id: id.value },
            query: other.value.startsWith('no.')
              ? { release: Number(other.value.slice(3)) }
              : other.value
                ? { profile: other.value }
                : {},
          },
        }),
      ),
  })
}

export const proofWord: Record<string, string> = {
  proven: 'proven',
  'carried-over': 'carried over',
  'not-known': 'not known',
}
