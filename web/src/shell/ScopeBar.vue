<script setup lang="ts">
import { computed } from 'vue'
import { useKeyList, useKeys } from '@/composables/keys'
import { buildName, useBuilds, useMakers, useModels, useScope } from '@/composables/scope'
import AccountMenu from './AccountMenu.vue'
import FindBox from './FindBox.vue'
import ScopePick from './ScopePick.vue'

const theme = defineModel<'auto' | 'light' | 'dark'>('theme', { required: true })
const { scope, setScope, query } = useScope()
const keys = useKeyList()

const makers = useMakers()
const models = useModels(() => scope.value.maker)
const builds = useBuilds(
  () => scope.value.maker,
  () => scope.value.model,
)
const makerItems = computed(() => (makers.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const modelItems = computed(() => (models.data.value ?? []).map((m) => ({ value: m.slug, title: m.name })))
const buildItems = computed(() =>
  (builds.data.value ?? []).map((b) => ({ value: b.id, title: buildName(b), note: `Android ${b.release}` })),
)
const allBuilds = computed(() => {
  const n = builds.data.value?.length ?? 0
  return n === 0 ? 'all' : n === 1 ? 'the only one' : `all ${n}`
})

// [ and ] walk through the model's builds, with "all" at the end.
function step(by: number) {
  const ids = [...(builds.data.value ?? []).map((b) => b.id), undefined]
  if (ids.length < 2) return
  const at = ids.indexOf(scope.value.build)
  setScope({ ...scope.value, build: ids[(at + by + ids.length) % ids.length] })
}

useKeys([
  { keys: ['['], does: 'the build before', run: () => step(-1) },
  { keys: [']'], does: 'the next build', run: () => step(1) },
  { keys: ['?'], does: 'show these keys', run: () => (keys.shown = !keys.shown) },
])
</script>

<template>
  <header class="bar">
    <router-link class="word" :to="{ path: '/desk', query }">Roster</router-link>
    <nav class="scope" aria-label="Scope">
      <ScopePick
        name="Maker"
        empty="everywhere"
        :items="makerItems"
        :value="scope.maker"
        @pick="setScope({ maker: $event })"
      />
      <ScopePick
        v-if="scope.maker"
        name="Model"
        empty="all models"
        :items="modelItems"
        :value="scope.model"
        @pick="setScope({ maker: scope.maker, model: $event })"
      />
      <ScopePick
        v-if="scope.model"
        name="Build"
        :empty="allBuilds"
        :items="buildItems"
        :value="scope.build"
        @pick="setScope({ ...scope, build: $event })"
      />
    </nav>
    <FindBox />
    <AccountMenu v-model:theme="theme" />
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: stretch;
  background: var(--sheet);
  border-bottom: 1px solid var(--ink);
}
.word {
  width: 96px;
  display: flex;
  align-items: center;
  padding-left: 14px;
  font-weight: 700;
  font-size: 15px;
  letter-spacing: -0.01em;
  text-decoration: none;
}
.scope {
  display: flex;
  flex: 1;
  border-left: 1px solid var(--hair);
  min-width: 0;
}
@media (max-width: 720px) {
  .word {
    width: auto;
    padding-right: 10px;
  }
  .scope {
    overflow: auto;
  }
}
</style>
