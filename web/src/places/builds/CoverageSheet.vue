<script setup lang="ts">
// What is known of every model: captured, graded, tried; a strip of its builds
// in greys; and where one more phone would help most.
import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { ago } from '@/format/dates'
import { count, people } from '@/format/numbers'
import { useCursor } from '@/composables/cursor'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import { nameOf, percent, type Cover } from './builds'
import HeatStrip from './HeatStrip.vue'

const router = useRouter()
const { scope } = useScope()
const sorts = {
  model: 'maker and model',
  tried: 'least tried',
  graded: 'least graded',
  wanted: 'most wanted',
  age: 'longest not captured',
} as const
const sort = ref<keyof typeof sorts>('model')
const coverage = useInfiniteQuery({
  queryKey: computed(() => ['coverage', scope.value.maker, sort.value]),
  queryFn: ({ pageParam }) =>
    ask(
      api.GET('/api/v1/coverage', {
        params: { query: { maker: scope.value.maker, sort: sort.value, cursor: pageParam || undefined } },
      }),
    ),
  initialPageParam: '',
  getNextPageParam: (last) => last.next || undefined,
  placeholderData: keepPreviousData,
})
const pages = computed(() => coverage.data.value?.pages ?? [])
const c = computed(() => pages.value[0])
const by = computed(() => {
  const of = new Map<string, Cover[]>()
  for (const b of pages.value.flatMap((p) => p.builds)) {
    const list = of.get(b.modelId)
    if (list) list.push(b)
    else of.set(b.modelId, [b])
  }
  return of
})
const rows = computed(() => pages.value.flatMap((p) => p.models))
const cursor = useCursor(rows, { name: 'model', of: 'model', key: (m) => m.id })
const { current } = cursor
const to = (m: { maker: string; model: string }) => ({ path: '/builds', query: { maker: m.maker, model: m.model } })
useKeys([{ keys: ['Enter'], does: 'its builds', run: () => current.value && router.push(to(current.value)) }])
</script>

<template>
  <div class="listbar">
    <b>Coverage</b>
    <label class="second"
      >by
      <select v-model="sort" class="field" aria-label="Order">
        <option v-for="(word, k) in sorts" :key="k" :value="k">{{ word }}</option>
      </select></label
    >
    <span v-if="c && c.of > rows.length" class="second">the first {{ rows.length }} of {{ c.of }} models</span>
    <a class="link second end" :href="scope.maker ? `/coverage/${scope.maker}` : '/coverage'">as strangers see it</a>
  </div>
  <div v-if="coverage.isError.value" class="notice bad" role="alert">{{ words(coverage.error.value) }}</div>
  <div v-else-if="rows.length" class="body">
    <table v-bind="cursor.list.value" aria-label="Models">
      <thead>
        <tr>
          <th>Model</th>
          <th>Builds, oldest first</th>
          <th class="n">Captured</th>
          <th class="n">Graded</th>
          <th class="n">Tried</th>
          <th class="n">Wanted</th>
          <th class="n">Phones</th>
          <th class="n">Newest capture</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="m in rows"
          :key="m.id"
          v-bind="cursor.row(m)"
          :class="{ picked: m === current }"
          @click="cursor.put(m)"
        >
          <th scope="row">
            <router-link :to="to(m)"
              ><span class="second">{{ m.makerName }}</span> {{ m.modelName }}</router-link
            >
          </th>
          <td><HeatStrip :builds="by.get(m.id) ?? []" /></td>
          <td class="n">{{ m.captured }} of {{ m.builds }}</td>
          <td class="n">{{ percent(m.graded, m.packages) }} %</td>
          <td class="n">{{ percent(m.tried, m.packages) }} %</td>
          <td class="n" :class="{ ochre: m.wanted }">{{ m.wanted || '' }}</td>
          <td class="n">{{ m.phones }}</td>
          <td class="n second">{{ m.capturedAt ? ago(m.capturedAt) : 'never' }}</td>
        </tr>
      </tbody>
    </table>
    <button
      v-if="coverage.hasNextPage.value"
      class="act quiet"
      :disabled="coverage.isFetchingNextPage.value"
      @click="coverage.fetchNextPage()"
    >
      More models
    </button>
  </div>
  <div v-else-if="c" class="empty">
    <h1>No firmware is known yet</h1>
    <p class="second">The first capture of a phone makes its maker, its model and its firmware known.</p>
    <router-link class="act" to="/bench">Capture one</router-link>
  </div>
  <Teleport defer to="#margin">
    <h1>Where one more phone would help</h1>
    <ol class="helpful">
      <li v-for="b in c?.helpful ?? []" :key="b.id">
        <router-link class="link" :to="{ path: '/builds', query: { maker: b.maker, model: b.model, build: b.id } }"
          >{{ b.modelName }} {{ nameOf(b) }}</router-link
        >
        <span class="second">{{
          b.wanted
            ? `${count(b.wanted, 'package')} that releases take off ${b.wanted === 1 ? 'was' : 'were'} never tried there`
            : `${percent(b.tried, b.packages)} % of ${b.packages} tried`
        }}</span>
      </li>
    </ol>
    <p v-if="c && !c.helpful.length" class="second">Nothing is missing.</p>
    <template v-if="current">
      <h2>{{ current.modelName }}</h2>
      <p>
        {{ count(current.phones, 'phone') }}, at most {{ people(current.people) }} a firmware,
        {{ count(current.releases, 'current release') }}.
      </p>
    </template>
    <h2>A cell</h2>
    <p class="second">
      A firmware: the darker, the more of its packages were taken off phones of that very one. Broken outlines are what
      nobody captured.
    </p>
  </Teleport>
</template>

<style scoped>
.end {
  margin-left: auto;
}
.field {
  border: 0;
  border-bottom: 1px solid var(--hair);
}
.body {
  overflow: auto;
  padding: 0 18px 16px;
}
table {
  width: 100%;
}
thead th {
  font-size: 12px;
  font-weight: 400;
  color: var(--second);
  border-bottom: 1px solid var(--hair);
  text-align: left;
  padding: 6px 14px 4px 0;
  position: sticky;
  top: 0;
  background: var(--sheet);
}
tbody th {
  text-align: left;
  font-weight: 400;
  white-space: nowrap;
}
tbody th a {
  text-decoration: none;
}
tbody th,
td {
  padding: 3px 14px 3px 0;
  border-bottom: 1px solid var(--row);
}
.body > .act {
  margin-top: 12px;
}
.n,
thead .n {
  text-align: right;
  white-space: nowrap;
}
tr.picked {
  background: var(--picked);
}
.helpful li {
  padding: 3px 0;
}
.helpful .second {
  display: block;
}
</style>
