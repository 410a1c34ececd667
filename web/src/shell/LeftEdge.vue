<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useBenches } from '@/places/bench/bench'
import { useDesk } from '@/places/desk/desk'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'

const route = useRoute()
const { query } = useScope()
const { session } = useSession()
const { ready } = useBenches()
const { lines } = useDesk()
const firmware = computed(
  () => lines.value.filter((l) => ['arrived', 'release-stops', 'release-behind'].includes(l.kind)).length,
)

const places = computed(() => [
  { name: 'Desk', to: '/desk', also: ['/week', '/follows'], waits: lines.value.length },
  { name: 'Ledger', to: '/ledger', also: ['/packages'], waits: 0 },
  { name: 'Builds', to: '/builds', also: [], waits: firmware.value },
  { name: 'Review', to: '/review', also: [], waits: session.data.value?.waiting ?? 0 },
  { name: 'Profiles', to: '/profiles', also: [], waits: 0 },
  { name: 'Bench', to: '/bench', also: ['/captures'], waits: ready.value },
  { name: 'Releases', to: '/releases', also: [], waits: 0 },
])
const here = (p: { to: string; also: string[] }) => [p.to, ...p.also].some((start) => route.path.startsWith(start))
</script>

<template>
  <nav class="edge" aria-label="Places">
    <router-link
      v-for="p in places"
      :key="p.to"
      :to="{ path: p.to, query }"
      :class="{ on: here(p) }"
      :aria-current="here(p) ? 'page' : undefined"
    >
      <span>{{ p.name }}</span>
      <i v-if="p.waits">{{ p.waits }}</i>
    </router-link>
  </nav>
</template>

<style scoped>
.edge {
  display: flex;
  flex-direction: column;
  padding-top: 10px;
  border-right: 1px solid var(--hair);
  overflow: auto;
}
a {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 6px 12px 6px 14px;
  color: var(--second);
  text-decoration: none;
}
a:hover {
  color: var(--ink);
}
a.on {
  color: var(--ink);
  font-weight: 700;
  background: var(--sheet);
  box-shadow: inset 3px 0 var(--ink);
}
a:focus-visible {
  outline-offset: -2px;
}
@media (max-width: 720px) {
  .edge {
    flex-direction: row;
    padding: 0;
    border-right: 0;
    border-bottom: 1px solid var(--hair);
  }
  a {
    gap: 4px;
    padding: 9px 12px;
  }
  a.on {
    box-shadow: inset 0 -3px var(--ink);
  }
}
i {
  font-style: normal;
  font-size: 12px;
  color: var(--ink);
}
</style>
