<script setup lang="ts">
// What removing packages leads to, what stops first: each kind under its own
// few words, each with what it is about.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import PackageName from '@/marks/PackageName.vue'
import { count, megabytes } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'

const props = defineProps<{ consequences: Schemas['Consequence'][]; one?: boolean }>()
type Consequence = Schemas['Consequence']

const of = (code: string, severity?: string) =>
  props.consequences.filter((c) => c.code === code && (!severity || c.severity === severity))
const stops = computed(() => props.consequences.filter((c) => c.severity === 'stops'))
const costs = computed(() => props.consequences.filter((c) => c.severity === 'costs'))
const bytes = computed(() => of('bytes-freed').reduce((n, c) => n + (c.bytes ?? 0), 0))
const starters = computed(() => of('starter-gone').length)
const permissions = computed(() => [...new Set(of('permission-gone').flatMap((c) => c.permissions ?? []))])
const notes = computed(() =>
  [
    { title: 'Left with no purpose', list: of('no-purpose') },
    { title: 'Loosened', list: of('link-loosened') },
    { title: 'May be refused', list: of('will-refuse') },
    { title: 'May come back', list: of('comes-back') },
    { title: 'Jobs that nobody does then', list: of('role-emptied', 'note') },
  ].filter((n) => n.list.length),
)
const most = 6
// A reason that begins with the package is told after its name.
const why = (c: Consequence) => (c.stay[0] ? c.why.replace(`${c.stay[0]} `, '') : c.why)
const subject = (c: Consequence) => (c.role ? '' : (c.stay[0] ?? c.packages[0] ?? ''))
</script>

<template>
  <section
    v-for="part in [
      { title: 'Stops', list: stops },
      { title: 'Costs', list: costs },
    ]"
    :key="part.title"
  >
    <template v-if="part.list.length">
      <h2 :class="{ ochre: true, stops: part.title === 'Stops' }">{{ part.title }}</h2>
      <p v-for="(c, i) in part.list.slice(0, 12)" :key="i" class="said">
        <b v-if="c.role">The {{ roleName(c.role) }} would be held by nobody.</b>
        <PackageName v-else-if="subject(c) && !(one && !c.stay.length)" :name="subject(c)" />
        <span v-if="!c.role">{{ why(c) }}</span>
      </p>
      <p v-if="part.list.length > 12" class="second">and {{ part.list.length - 12 }} more</p>
    </template>
  </section>
  <p v-if="!stops.length" class="second none">Nothing stops.</p>
  <template v-if="bytes || starters || permissions.length">
    <h2>Gained</h2>
    <p v-if="bytes">{{ megabytes(bytes) }} of updates, data and caches</p>
    <p v-if="starters">{{ count(starters, 'fewer starter') }} at boot</p>
    <p v-if="permissions.length" class="second">
      held no more: {{ permissions.map((p) => p.split('.').at(-1)!.toLowerCase().replaceAll('_', ' ')).join(', ') }}
    </p>
  </template>
  <section v-for="n in notes" :key="n.title">
    <h2>{{ n.title }}</h2>
    <p v-for="(c, i) in n.list.slice(0, most)" :key="i" class="said">
      <template v-if="c.role">{{ roleName(c.role) }}</template>
      <template v-else>
        <PackageName v-if="!one || c.code === 'no-purpose'" :name="c.packages[0] ?? ''" />
        <span class="second">{{ c.why }}</span>
      </template>
    </p>
    <p v-if="n.list.length > most" class="second">and {{ n.list.length - most }} more</p>
  </section>
</template>

<style scoped>
.said {
  overflow-wrap: anywhere;
}
.said :deep(*) + span {
  margin-left: 6px;
}
.said b {
  font-weight: 600;
}
.stops {
  font-weight: 700;
}
.none {
  margin-top: 8px;
}
</style>
