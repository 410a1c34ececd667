<script setup lang="ts">
// Three lanes: what is gone, changed and new.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import PackageName from '@/marks/PackageName.vue'
import { share } from '@/format/numbers'

const props = defineProps<{
  title: string
  note?: string
  tone?: 'ochre'
  comparison: Pick<Schemas['BuildDifference'], 'gone' | 'changed' | 'new' | 'renamed'>
  namesOnly?: boolean
}>()
const all = ref(false)
const most = 12
const cut = <T,>(list: T[]) => (all.value ? list : list.slice(0, most))
// A version alone changes with almost every firmware: that is counted, and
// what else changed is shown.
const telling = computed(() => props.comparison.changed.filter((c) => c.what?.some((d) => d.what !== 'version')))
const onlyVersion = computed(() => props.comparison.changed.filter((c) => !telling.value.includes(c)))
const versions = ref(false)
const changed = computed(() => (versions.value ? [...telling.value, ...onlyVersion.value] : telling.value))
const more = computed(
  () => Math.max(props.comparison.gone.length, changed.value.length, props.comparison.new.length) > most,
)
</script>

<template>
  <section :class="tone">
    <h2>{{ title }}</h2>
    <p v-if="note" class="second">{{ note }}</p>
    <div class="lanes" :class="{ two: namesOnly }">
      <div>
        <h3>
          {{ namesOnly ? 'Only there' : 'Gone' }} <span class="second">{{ comparison.gone.length }}</span>
        </h3>
        <p v-for="n in cut(comparison.gone)" :key="n"><PackageName :name="n" /></p>
        <p v-if="!comparison.gone.length" class="second">nothing</p>
      </div>
      <div v-if="!namesOnly">
        <h3>
          Changed <span class="second">{{ comparison.changed.length }}</span>
        </h3>
        <div v-for="r in comparison.renamed" :key="r.to" class="change">
          <PackageName :name="r.to" />
          <p class="second">was <PackageName :name="r.from" />, {{ share(r.sure) }} sure</p>
        </div>
        <div v-for="c in cut(changed)" :key="c.name" class="change">
          <PackageName :name="c.name" />
          <p v-for="d in c.what" :key="d.what" class="second">
            {{ d.what }}: <bdi>{{ d.before || '—' }}</bdi> → <bdi>{{ d.after || '—' }}</bdi>
          </p>
        </div>
        <p v-if="!comparison.changed.length" class="second">nothing</p>
        <button v-else-if="onlyVersion.length" class="link second" @click="versions = !versions">
          {{ versions ? 'Hide what changed only in version' : `${onlyVersion.length} changed only in version` }}
        </button>
      </div>
      <div>
        <h3>
          {{ namesOnly ? 'Only here' : 'New' }} <span class="second">{{ comparison.new.length }}</span>
        </h3>
        <p v-for="n in cut(comparison.new)" :key="n"><PackageName :name="n" /></p>
        <p v-if="!comparison.new.length" class="second">nothing</p>
      </div>
    </div>
    <button v-if="more" class="link second" @click="all = !all">{{ all ? 'Show fewer' : 'Show all' }}</button>
  </section>
</template>

<style scoped>
section {
  padding: 16px 18px 0;
}
.ochre {
  box-shadow: inset 3px 0 var(--ochre);
  color: inherit;
}
h2 {
  font-size: 15px;
}
h3 {
  font-size: 12px;
  font-weight: 650;
  margin-bottom: 3px;
  border-bottom: 1px solid var(--hair);
}
.lanes {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.5fr) minmax(0, 1fr);
  gap: 18px;
  margin-top: 8px;
}
.lanes.two {
  grid-template-columns: repeat(2, minmax(0, 1fr));
}
.change {
  margin-bottom: 4px;
}
.change p {
  overflow-wrap: anywhere;
}
@media (max-width: 720px) {
  .lanes,
  .lanes.two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
