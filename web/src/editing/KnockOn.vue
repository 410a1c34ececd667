<script setup lang="ts">
// What edits would do to profiles, releases and figures.
import type { Schemas } from '@/api/client'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useScope } from '@/composables/scope'
import { ceiling, count } from '@/format/numbers'
import { loadWord, methodWord, roleName, slugWords } from '@/format/vocabulary'

defineProps<{ effect: Schemas['KnockOn'] }>()
const { query } = useScope()
// A profile's own moves are shown where the package stays on its side; the
// others say more already.
const quiet = (p: Schemas['ProfileEffect']) => !p.gains.length && !p.loses.length
</script>

<template>
  <section v-for="p in effect.profiles" :key="p.id" class="profile">
    <h2>
      <router-link class="plain" :to="{ name: 'profile', params: { id: p.id }, query }"
        >{{ p.modelName }}, {{ p.name }}</router-link
      >
    </h2>
    <p v-if="p.wantsNumber">
      would want <b>no. {{ p.next }}</b
      >{{ p.wantedBefore ? ', as it does already' : '' }}
    </p>
    <p v-else-if="!p.release" class="second">not published yet</p>
    <p v-for="g in p.gains" :key="g.package">gains <PackageName :name="g.package" /></p>
    <p v-for="g in p.loses" :key="g.package">
      loses <PackageName :name="g.package" /> <span class="second">{{ g.why }}</span>
    </p>
    <p v-if="p.costs.length">
      would cost <b>{{ p.costs.map(slugWords).join(', ') }}</b>
    </p>
    <p v-if="p.spares.length">would cost {{ p.spares.map(slugWords).join(', ') }} no more</p>
    <p v-for="r in p.emptied" :key="r">
      <b class="ochre">{{ roleName(r) }}</b> would be held by nobody
    </p>
    <p v-if="quiet(p) && !p.costs.length && !p.spares.length && !p.emptied.length" class="second">
      same packages; {{ count(p.moves.length, 'figure moves', 'figures move') }}
    </p>
  </section>
  <p v-if="effect.untouched" class="second">
    {{ effect.profiles.length ? 'Unchanged: ' : 'No profile changes: ' }}{{ count(effect.untouched, 'profile') }} of
    models that ship the same packages
  </p>
  <p v-if="!effect.profiles.length && !effect.untouched" class="second">No profile is touched.</p>
  <section v-if="effect.moves.length">
    <h2>Figures</h2>
    <div v-for="m in effect.moves" :key="m.package + m.place + m.method" class="move">
      <PackageName :name="m.package" />
      <p class="second">from {{ m.place }}, {{ methodWord[m.method] }}</p>
      <p v-if="m.ceilingBefore !== m.ceilingAfter">
        at most {{ ceiling(m.ceilingBefore) }} → <b>{{ ceiling(m.ceilingAfter) }}</b>
      </p>
      <p v-if="m.standingBefore !== m.standingAfter">
        {{ m.standingBefore }} → <b>{{ m.standingAfter }}</b>
      </p>
      <p v-if="m.loadBefore !== m.loadAfter" class="loads">
        <LoadMark :load="m.loadBefore" silent />{{ loadWord[m.loadBefore] }} → <LoadMark :load="m.loadAfter" silent />
        <b>{{ loadWord[m.loadAfter] }}</b>
      </p>
      <p v-if="m.conditionsMoved">other conditions</p>
    </div>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 4px;
}
.profile {
  padding-bottom: 8px;
  border-bottom: 1px solid var(--hair);
}
.plain {
  text-decoration: none;
}
b {
  font-weight: 650;
}
.move {
  padding: 4px 0;
  overflow-wrap: anywhere;
}
.loads {
  display: flex;
  gap: 5px;
  align-items: center;
}
</style>
