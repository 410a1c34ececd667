<script setup lang="ts">
// What rests on what in this firmware and not in the one before: links that
// tell something, and jobs that other packages can do now.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ differences: Schemas['Differences']; title: string }>()
// Any package may ask for a permission that is given to all, and sharing a
// user says little.
const telling = <T extends { kind: string; strength: string }>(links: T[]) =>
  links.filter((l) => l.kind !== 'shared-uid' && (l.kind !== 'permission' || l.strength === 'hard'))
const gained = computed(() => telling(props.differences.gained))
const lost = computed(() => telling(props.differences.lost))
const roles = computed(() => props.differences.roles)
const most = 12
</script>

<template>
  <section aria-label="What rests on what">
    <h2>{{ title }}</h2>
    <p v-if="!gained.length && !lost.length && !roles.length" class="second">Nothing rests otherwise than before.</p>
    <div
      v-for="part in [
        { say: 'rests on', list: gained },
        { say: 'no more on', list: lost },
      ]"
      :key="part.say"
    >
      <p v-for="l in part.list.slice(0, most)" :key="l.from + l.on + l.kind" :title="l.lines.join('\n')">
        <PackageName :name="l.from" /> <span class="second say">{{ part.say }}</span> <PackageName :name="l.on" />
        <span v-if="l.strength === 'hard'" class="second say">it cannot do without</span>
      </p>
      <p v-if="part.list.length > most" class="second">and {{ count(part.list.length - most, 'more link') }}</p>
    </div>
    <p v-for="r in roles" :key="r.role">
      {{ roleName(r.role) }}: <span class="second">{{ r.before.join(', ') || 'nobody' }}</span> →
      {{ r.after.join(', ') || 'nobody' }}
    </p>
  </section>
</template>

<style scoped>
.say {
  margin: 0 6px;
}
</style>
