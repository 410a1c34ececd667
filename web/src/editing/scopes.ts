import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { buildName, useBuilds, useMakers, useModels, useScope } from '@/composables/scope'

// useScopeChoices lists where a claim could hold, seen from the page's scope:
// its build, its model, its maker, everywhere.
export function useScopeChoices() {
  const { scope } = useScope()
  const makers = useMakers()
  const models = useModels(() => scope.value.maker)
  const builds = useBuilds(
    () => scope.value.maker,
    () => scope.value.model,
  )
  const choices = computed(() => {
    const out: { value: string; word: string; scope: Schemas['Scope'] }[] = []
    const build = builds.data.value?.find((b) => b.id === scope.value.build)
    const model = models.data.value?.find((m) => m.slug === scope.value.model)
    const maker = makers.data.value?.find((m) => m.slug === scope.value.maker)
    if (build) out.push({ value: 'build', word: `build ${buildName(build)}`, scope: { kind: 'build', id: build.id } })
    if (model) out.push({ value: 'model', word: model.name, scope: { kind: 'model', id: model.id } })
    if (maker) out.push({ value: 'maker', word: `all of ${maker.name}`, scope: { kind: 'maker', id: maker.id } })
    out.push({ value: 'everywhere', word: 'everywhere', scope: { kind: 'everywhere' } })
    return out
  })
  // A load usually holds for a model: one build is too narrow, a maker too wide.
  const narrowest = () => (scope.value.model ? 'model' : scope.value.maker ? 'maker' : 'everywhere')
  function scopeOf(value: string) {
    const chosen = choices.value.find((c) => c.value === value)
    if (!chosen) throw new Error('Where that holds is still being read. Try again.')
    return chosen.scope
  }
  return { choices, narrowest, scopeOf }
}
