<script setup lang="ts">
// What a new draft of the profile would be on the firmware.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'

const props = defineProps<{ redraft: Schemas['Redraft']; profile: string; busy: boolean; wrong: string }>()
const emit = defineEmits<{
  // With or without asking for the trials that it lacks.
  draft: [want: boolean]
}>()
const { query } = useScope()
const { may } = useSession()
const want = ref(true)
const drops = computed(() => {
  const by = new Map<string, Schemas['Redrawn'][]>()
  for (const d of props.redraft.drops) by.set(d.why, [...(by.get(d.why) ?? []), d])
  return [...by.entries()]
})
</script>

<template>
  <section aria-label="A new draft">
    <h2>A new draft for it</h2>
    <p v-if="redraft.stops.length" class="ochre">It could not be published as it is: {{ redraft.stops.join('; ') }}.</p>
    <ul class="drawn">
      <li v-for="p in redraft.pinned" :key="p"><span class="sign">•</span> {{ p }}</li>
      <li v-for="a in redraft.adds" :key="`+${a.package}`">
        <span class="sign">+</span> <LoadMark :load="a.load" /> <PackageName :name="a.package" /> {{ a.label }}
        <span class="second">{{ a.why }}</span>
      </li>
      <li v-for="[because, list] in drops" :key="because">
        <span class="sign">−</span>
        <span v-for="a in list" :key="a.package" class="one"
          ><LoadMark :load="a.load" /> <PackageName :name="a.package"
        /></span>
        <span class="second">{{ because }}</span>
      </li>
    </ul>
    <p v-if="!redraft.adds.length && !redraft.drops.length && !redraft.pinned.length" class="second">
      It would take off the same packages.
    </p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="may('maintainer')" class="acts">
      <button class="act first" :disabled="busy" @click="emit('draft', want)">Make the draft</button>
      <label v-if="redraft.unproven.length"
        ><input v-model="want" type="checkbox" /> ask technicians who have such phones for
        {{ count(redraft.unproven.length, 'trial') }}</label
      >
      <router-link class="link second" :to="{ name: 'profile', params: { id: profile }, query }"
        >the profile as it is</router-link
      >
    </p>
  </section>
</template>

<style scoped>
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
.drawn li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
  flex-wrap: wrap;
}
.one {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.sign {
  width: 12px;
  text-align: center;
  font-weight: 650;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 18px;
  margin-top: 10px;
}
</style>
