<script setup lang="ts">
import { computed } from 'vue'
import { count, methodWord, slugWords } from '@/evidence/words'
import PackageName from '@/marks/PackageName.vue'
import type { Composition, Rules } from './profile'

const props = defineProps<{ composition: Composition; rules: Rules; editable: boolean }>()
const emit = defineEmits<{ rules: [part: Partial<Rules>] }>()
const pick = (e: Event) => emit('rules', { highestLoad: (e.target as HTMLSelectElement).value as Rules['highestLoad'] })
const goes = computed(() => props.composition.rows.filter((r) => r.goes))
const pinned = computed(() => props.composition.rows.filter((r) => r.pin))
</script>

<template>
  <section class="sheet" aria-label="Run sheet" tabindex="0">
    <label class="rule"
      ><b>May go</b> up to
      <select :value="rules.highestLoad" :disabled="!editable" @change="pick">
        <option value="loose">Loose</option>
        <option value="leaned-on">Leaned on</option>
      </select></label
    >
    <h2>
      Run sheet <span class="second">{{ methodWord[rules.method] }}, in this order</span>
    </h2>
    <p v-if="composition.stopped" class="ochre">{{ composition.stopped }}.</p>
    <ol>
      <li v-for="(r, i) in goes" :key="r.package">
        <span class="second">{{ i + 1 }}</span><PackageName :name="r.package" />
      </li>
    </ol>
    <template v-if="pinned.length">
      <h2>Pinned across the line</h2>
      <p v-for="r in pinned" :key="r.package">
        <PackageName :name="r.package" /> <span class="second">{{ r.pin }}</span>
      </p>
    </template>
    <h2>What it costs</h2>
    <ul v-if="composition.lost.length">
      <li v-for="l in composition.lost" :key="l.function" class="loss">
        <b>{{ slugWords(l.function) }}</b> <span class="second">{{ count(l.packages?.length ?? 0, 'package') }}</span>
      </li>
    </ul>
    <p v-else class="second">Nothing that anybody missed in a trial.</p>
  </section>
</template>

<style scoped>
.sheet {
  overflow: auto;
  padding: 12px 14px 24px;
}
.sheet:focus-visible {
  outline-offset: -2px;
}
h2 {
  margin: 16px 0 5px;
}
.rule b {
  font-weight: 650;
  font-size: 12px;
}
select {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--faint);
}
h2 .second {
  font-weight: 400;
}
ol li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr);
  line-height: 21px;
}
.loss b {
  font-weight: 500;
}
</style>
