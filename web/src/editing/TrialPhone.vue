<script setup lang="ts">
// On which firmware a trial was made, and on which phone. Where the page is about
// no model, it asks for the phone's.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, ask } from '@/api/client'
import { buildName, useBuilds, useMakers, useModels, useScope } from '@/composables/scope'
import { ago } from '@/format/dates'
import { placesOf, useBenches } from '@/places/bench/bench'
import { useTray } from '@/tray/tray'
import type { Subject } from './dialogs'
import { phoneTitles } from './phones'

const props = defineProps<{ subjects: Subject[] }>()
const build = defineModel<string>('build')
// phone is the mark of a phone that was captured, or called: and what somebody
// calls another; '' as long as nobody has said which.
const phone = defineModel<string>('phone', { required: true })

const { scope } = useScope()
const maker = ref(scope.value.maker)
const model = ref(scope.value.model)
const makers = useMakers()
const models = useModels(() => maker.value)
const builds = useBuilds(
  () => maker.value,
  () => model.value,
)
const makerItems = computed(() => (makers.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const modelItems = computed(() => (models.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const buildItems = computed(() =>
  (builds.data.value ?? []).map((b) => ({ value: b.id, title: `${buildName(b)}, Android ${b.release}` })),
)
watch(maker, () => (model.value = undefined))
watch(model, () => (build.value = undefined))
watch(
  () => builds.data.value,
  (list) => (build.value ??= (list?.findLast((b) => !b.carrier) ?? list?.at(-1))?.id),
  { immediate: true },
)

const phones = useQuery({
  queryKey: computed(() => ['phones', build.value]),
  enabled: computed(() => !!build.value),
  queryFn: () =>
    ask(api.GET('/api/v1/builds/{id}/phones', { params: { path: { id: build.value! } } })).then((r) => r.items),
})
const { benches } = useBenches()
const attached = computed(
  () =>
    new Map(
      (benches.value ?? [])
        .flatMap(placesOf)
        .flatMap((p) => (p.phone?.mark ? [[p.phone.mark, p.phone.label || p.phone.name] as const] : [])),
    ),
)
// A phone whose trial of the same packages waits in the tray already.
const { edits } = useTray()
const used = computed(() => {
  const names = new Set(props.subjects.map((s) => s.name))
  return new Set(
    edits.value
      .filter((e) => e.field === 'trial' && names.has(e.package))
      .map((e) => (e.value as { phone: string } | null)?.phone),
  )
})
const other = 'another phone'
const items = computed(() => [
  ...phoneTitles(phones.data.value ?? [], attached.value, used.value, ago),
  { value: other, title: 'another phone, not captured here' },
])
const chosen = ref<string>()
const called = ref('')
// What somebody has picked stays for as long as it is there.
const picked = ref(false)
watch(build, () => (picked.value = false))
watch(
  [() => phones.data.value, used],
  ([list]) => {
    if (!list || (picked.value && items.value.some((i) => i.value === chosen.value))) return
    const known = list.find((p) => attached.value.has(p.phone)) ?? list[0]
    // The next trial is of another phone: which, nobody can guess.
    chosen.value = used.value.size ? undefined : (known?.phone ?? other)
  },
  { immediate: true },
)
watch(
  [chosen, called],
  () => {
    phone.value =
      chosen.value !== other ? (chosen.value ?? '') : called.value.trim() ? `called:${called.value.trim()}` : ''
  },
  { immediate: true },
)
</script>

<template>
  <div v-if="!scope.model" class="two">
    <v-select v-model="maker" label="The phone’s maker" :items="makerItems" />
    <v-select v-model="model" label="Its model" :items="modelItems" :disabled="!maker" />
  </div>
  <div v-if="model" class="two">
    <v-select v-model="build" label="Build" :items="buildItems" />
    <v-select
      v-model="chosen"
      label="Phone"
      :items="items"
      placeholder="which phone?"
      @update:model-value="picked = true"
    />
  </div>
  <v-text-field
    v-if="model && chosen === other"
    v-model="called"
    label="What you call that phone, or its serial number"
    hint="Only a keyed hash of it is kept."
    persistent-hint
  />
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>
