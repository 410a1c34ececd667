<script setup lang="ts">
// The fewest phones that prove a draft on a firmware: each takes off all that
// needs it still.
import { ref } from 'vue'
import type { Schemas } from '@/api/client'
import { ceiling as up, count } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'

defineProps<{ plan: Schemas['Proof'][]; ceiling: number; left: string[] }>()
const opened = ref(0)
const most = 12
</script>

<template>
  <p class="second">
    The fewest phones of this firmware, each somebody else's; where nothing is harmed, all ceilings come to at most
    {{ up(ceiling) }}.
  </p>
  <ol>
    <li v-for="(p, i) in plan" :key="i">
      <button class="link" :aria-expanded="opened === i" @click="opened = opened === i ? -1 : i">
        <b>Phone {{ i + 1 }}</b
        >: {{ count(p.packages.length, 'package') }}
      </button>
      <span class="second"
        >ceilings fall by {{ Math.round(100 * p.gain) }} points together<template v-if="p.left"
          >; {{ p.left }} still above</template
        ><template v-else>; none above after it</template></span
      >
      <p v-if="opened === i" class="names">
        <span v-for="n in p.packages.slice(0, most)" :key="n" :class="{ ochre: i === 0 && left.includes(n) }"
          ><PackageName :name="n"
        /></span>
        <span v-if="p.packages.length > most" class="second">and {{ p.packages.length - most }} more</span>
      </p>
    </li>
  </ol>
</template>

<style scoped>
li {
  padding: 3px 0;
}
li > .second {
  margin-left: 10px;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding: 2px 0 4px 14px;
}
</style>
