<script setup lang="ts">
// What changed in the package from build to build of each edition, the newest
// first. A version alone changes with nearly every build: those are counted.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { count, share } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'
import { addressOf, nameOf } from '@/places/builds/builds'
import { useScope } from '@/composables/scope'

const props = defineProps<{ name: string }>()
const { scope } = useScope()
const steps = useQuery({
  queryKey: computed(() => ['over-time', props.name, scope.value.maker, scope.value.model]),
  queryFn: () =>
    ask(
      api.GET('/api/v1/packages/{name}/over-time', {
        params: { path: { name: props.name }, query: { maker: scope.value.maker, model: scope.value.model } },
      }),
    ).then((r) => r.items),
})
type Step = Schemas['PackageStep']
const versions = ref(false)
const onlyVersion = (s: Step) => s.lane === 'changed' && s.what.every((d) => d.what === 'version')
const all = computed(() => steps.data.value ?? [])
const hidden = computed(() => all.value.filter(onlyVersion).length)
const shown = computed(() => all.value.filter((s) => versions.value || !onlyVersion(s)))
const models = computed(() => new Set(all.value.map((s) => s.model)).size)
const verb: Record<Step['lane'], string> = {
  gone: 'is gone',
  new: 'is new',
  changed: 'changed',
  'renamed-to': 'has another name',
  'renamed-from': 'had another name',
}
</script>

<template>
  <section v-if="all.length" class="time" aria-label="From build to build">
    <h2>From build to build</h2>
    <ol>
      <li v-for="s in shown" :key="s.buildId">
        <router-link
          class="link"
          :to="addressOf(`build:${s.sinceId}`, `build:${s.buildId}`, { maker: s.maker, model: s.model })"
          >{{ models > 1 ? `${s.modelName} ` : '' }}{{ nameOf({ ...s, version: s.since }) }} →
          {{ s.version }}</router-link
        >
        <span>
          {{ verb[s.lane] }}
          <template v-if="s.other"
            ><router-link :to="{ name: 'dossier', params: { name: s.other } }"
              ><PackageName :name="s.other"
            /></router-link>
            <span class="second">{{ share(s.sure ?? 0) }} sure</span></template
          >
          <span v-for="d in s.what" :key="d.what" class="what"
            >{{ d.what }}: <bdi class="second">{{ d.before || '—' }}</bdi> → <bdi>{{ d.after || '—' }}</bdi></span
          >
        </span>
      </li>
    </ol>
    <p v-if="!shown.length" class="second">Nothing but its version.</p>
    <button v-if="hidden" class="link second" @click="versions = !versions">
      {{ versions ? 'Hide versions alone' : `${count(hidden, 'time')} only its version changed` }}
    </button>
  </section>
</template>

<style scoped>
.time {
  margin-top: 16px;
}
h2 {
  margin-bottom: 6px;
}
li {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 14px;
  padding: 3px 0;
}
.what {
  display: block;
  overflow-wrap: anywhere;
}
</style>
