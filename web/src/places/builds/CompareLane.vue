<script setup lang="ts">
// One lane of a comparison.
import { computed } from 'vue'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import type { Cursor } from '@/composables/cursor'
import type { ComparedPackage } from './builds'
import type { Group } from './comparing'
import { share } from '@/format/numbers'

const props = defineProps<{
  lane: 'gone' | 'changed' | 'new'
  all: number
  groups: Group[]
  cursor: Cursor<ComparedPackage>
  query: Record<string, string>
}>()
const title = { gone: 'Gone', changed: 'Changed', new: 'New' }
const shown = computed(() => props.groups.reduce((n, g) => n + g.rows.length, 0))
const load = (p: ComparedPackage) => {
  const j = p.now ?? p.then
  return j ? j.load || j.suggested : 'unproven'
}
// Long lists of permissions are counted; the margin names them.
const short = (s: string) => (s.split(', ').length > 2 ? `${s.split(', ').length} of them` : s)
</script>

<template>
  <section class="lane" :aria-label="title[lane]">
    <h2>
      {{ title[lane] }} <span class="second">{{ shown === all ? all : `${shown} of ${all}` }}</span>
    </h2>
    <template v-for="g in groups" :key="g.title">
      <h3 v-if="g.title" class="second">{{ g.title }}</h3>
      <article
        v-for="p in g.rows"
        :key="p.name"
        v-bind="cursor.row(p)"
        :class="{ picked: p === cursor.current.value }"
        @click="cursor.put(p)"
      >
        <div class="head">
          <LoadMark :load="load(p)" />
          <router-link :to="{ name: 'dossier', params: { name: p.name }, query }"
            ><PackageName :name="p.name"
          /></router-link>
        </div>
        <p v-if="p.label" dir="auto">{{ p.label }}</p>
        <p v-if="p.was" class="was">was <PackageName :name="p.was" />, {{ share(p.sure ?? 0) }} sure</p>
        <p v-for="d in p.what.filter((x) => x.what !== 'version')" :key="d.what" class="second what">
          {{ d.what }}: <bdi>{{ short(d.before) || '—' }}</bdi> → <bdi>{{ short(d.after) || '—' }}</bdi>
        </p>
        <p v-for="l in p.gained.filter((x) => x.strength === 'hard')" :key="`+${l.from}${l.on}${l.kind}`" class="what">
          <template v-if="l.on === p.name"><PackageName :name="l.from" /> rests on it</template>
          <template v-else>rests on <PackageName :name="l.on" /></template>
        </p>
        <p v-for="m in p.means" :key="m.code" class="means" :class="{ ochre: m.code === 'would-stop' }">
          {{ m.words }}
        </p>
      </article>
    </template>
    <p v-if="!shown" class="second none">{{ all ? 'none of these' : 'nothing' }}</p>
  </section>
</template>

<style scoped>
.lane {
  border-right: 1px solid var(--hair);
  min-width: 0;
}
.lane:last-child {
  border-right: 0;
}
@media (max-width: 1000px) {
  .lane {
    border-right: 0;
  }
}
h2 {
  position: sticky;
  top: 0;
  z-index: 1;
  padding: 6px 14px 5px;
  background: var(--sheet);
  border-bottom: 1px solid var(--hair);
}
h2 .second,
h3 {
  font-weight: 400;
}
h3 {
  padding: 8px 14px 2px;
  font-size: 12px;
}
article {
  padding: 6px 14px;
  border-bottom: 1px solid var(--row);
}
article.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.head {
  display: flex;
  gap: 8px;
  align-items: center;
  min-width: 0;
}
.head a {
  min-width: 0;
  text-decoration: none;
}
article p {
  padding-left: 30px;
  overflow-wrap: anywhere;
}
.means {
  font-size: 13px;
}
.what,
.was {
  font-size: 12px;
}
.none {
  padding: 8px 14px;
}
</style>
