<script setup lang="ts">
// What the phone's owner is asked, in plain words: only about what this run
// would cost them.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import { slugWords } from '@/format/vocabulary'

const props = defineProps<{ questions: Schemas['BenchQuestion'][] }>()
const emit = defineEmits<{ keep: [functions: string[]] }>()
const kept = computed(() => props.questions.filter((q) => q.kept).map((q) => q.function))
function answer(f: string, yes: boolean) {
  emit('keep', yes ? [...kept.value.filter((k) => k !== f), f] : kept.value.filter((k) => k !== f))
}
</script>

<template>
  <section class="ask" aria-label="Ask the owner">
    <h2>Ask the owner <span class="second">a yes keeps it on this phone</span></h2>
    <ul>
      <li v-for="q in questions" :key="q.function">
        <span
          >{{ q.asks }}
          <span class="second"
            >{{ slugWords(q.function) }}, {{ count(q.packages.length, 'package')
            }}{{ q.seen ? '; trials missed it' : '' }}</span
          ></span
        >
        <fieldset :aria-label="q.asks">
          <label :class="{ on: q.kept }"
            ><input
              type="radio"
              class="visually-hidden"
              :name="q.function"
              :checked="q.kept"
              @change="answer(q.function, true)"
            />yes, keep it</label
          >
          <label :class="{ on: !q.kept }"
            ><input
              type="radio"
              class="visually-hidden"
              :name="q.function"
              :checked="!q.kept"
              @change="answer(q.function, false)"
            />no</label
          >
        </fieldset>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.ask {
  padding: 10px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 .second {
  font-weight: 400;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: center;
  padding: 3px 0;
}
fieldset {
  display: flex;
  gap: 4px;
  flex: none;
}
label {
  padding: 2px 10px;
  border: 1px solid var(--hair);
  cursor: pointer;
}
label.on {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
  font-weight: 600;
}
label:focus-within {
  outline: 2px solid var(--ring);
}
</style>
