<script setup lang="ts">
// How it is graded and why, and what captures tell of it.
import { computed } from 'vue'
import { loadWord } from '@/format/vocabulary'
import { facts, type Dossier } from './dossier'
import GradeList from './GradeList.vue'

const props = defineProps<{ d: Dossier }>()
const differing = computed(() => facts(props.d.ships))
</script>

<template>
  <section class="band">
    <div>
      <h2>Graded</h2>
      <GradeList :d="d" />
      <h2 class="later">Why {{ loadWord[d.grade.suggested] }} is suggested</h2>
      <ul class="reasons">
        <li v-for="(r, i) in d.grade.reasons" :key="i">{{ r.text }}</li>
      </ul>
    </div>
    <div>
      <h2>Facts from captures</h2>
      <dl class="facts">
        <template v-for="f in differing" :key="f.name">
          <dt>{{ f.name }}</dt>
          <dd>
            <p v-for="v in f.values.slice(0, 4)" :key="v.value" class="fact">
              <span :class="{ mono: f.name === 'Lies at' }">{{ v.value }}</span>
              <span v-if="f.values.length > 1" class="second" :title="v.on.join(', ')">{{
                v.on.length === 1 ? v.on[0] : `on ${v.on.length} builds`
              }}</span>
            </p>
            <p v-if="f.values.length > 4" class="second">and {{ f.values.length - 4 }} more</p>
          </dd>
        </template>
      </dl>
    </div>
  </section>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 28px;
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  margin-bottom: 4px;
}
.later {
  margin-top: 14px;
}
dl {
  display: grid;
  grid-template-columns: 88px 1fr;
  gap: 4px 8px;
}
dt {
  color: var(--second);
}
.reasons li {
  padding: 1px 0;
}
.fact {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.fact .mono {
  overflow-wrap: anywhere;
}
</style>
