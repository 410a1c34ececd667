<script setup lang="ts">
// What will be done to the phone, in which order: before, what goes, after,
// and what is tried by hand.
import { computed, ref } from 'vue'
import { count } from '@/format/numbers'
import { methodWord } from '@/format/vocabulary'
import NamedPackage from '@/marks/NamedPackage.vue'
import PackageName from '@/marks/PackageName.vue'
import ExtraDialog from './ExtraDialog.vue'
import type { Composition, Extra, Rules } from './profile'

const props = defineProps<{ composition: Composition; rules: Rules; editable: boolean }>()
const emit = defineEmits<{ rules: [part: Partial<Rules>] }>()
const adding = ref(false)
const check = ref('')
const phase = (name: string) => props.composition.steps.filter((s) => (s.phase ?? 'remove') === name)
const removes = computed(() => phase('remove').filter((s) => s.method !== 'quieten'))
const quietens = computed(() => phase('remove').filter((s) => s.method === 'quieten'))
const groups = computed(() => new Set(removes.value.map((s) => s.group).filter(Boolean)).size)
const few = 400
// A step that a person added can be taken out again; what follows from packages
// can not.
const added = (number: number) => props.composition.extras.indexOf(number)
function takeOut(i: number) {
  emit('rules', { extras: props.rules.extras!.filter((_, at) => at !== i) })
}
function add(extra: Extra) {
  emit('rules', { extras: [...(props.rules.extras ?? []), extra] })
  adding.value = false
}
function toggle(c: Composition['checks'][number]) {
  if (c.own) emit('rules', { checks: (props.rules.checks ?? []).filter((t) => t !== c.text) })
  else if (c.out) emit('rules', { notChecks: (props.rules.notChecks ?? []).filter((t) => t !== c.text) })
  else emit('rules', { notChecks: [...(props.rules.notChecks ?? []), c.text] })
}
function addCheck() {
  const text = check.value.trim()
  if (!text) return
  emit('rules', { checks: [...(props.rules.checks ?? []).filter((t) => t !== text), text] })
  check.value = ''
}
</script>

<template>
  <section class="sheet" aria-label="Run sheet" tabindex="0">
    <template v-for="p in ['before', 'after']" :key="p">
      <template v-if="p === 'before' || phase('after').length">
        <h2>{{ p === 'before' ? 'Before' : 'After' }}</h2>
        <ol v-if="phase(p).length">
          <li v-for="s in phase(p)" :key="s.number">
            <span class="second">{{ s.number }}</span><span>
              {{ s.text }}
              <PackageName v-if="s.kind === 'withdraw-admin' && s.package && s.label" :name="s.package" />
              <span v-if="s.key" class="second mono">{{ s.key }} = {{ s.value }}</span>
              <button
                v-if="editable && added(s.number) >= 0"
                class="link second out"
                :aria-label="`Take out: ${s.text}`"
                @click="takeOut(added(s.number))"
              >
                take out
              </button>
            </span>
          </li>
        </ol>
        <p v-else class="second">Nothing to see to first.</p>
      </template>
      <template v-if="p === 'before'">
        <button v-if="editable" class="link second" @click="adding = true">add a step</button>
        <h2>
          Remove
          <span class="second"
            >{{ removes.length }}, dependants first{{
              groups ? `; ${count(groups, 'group')} taken together` : ''
            }}</span
          >
        </h2>
        <ol>
          <li v-for="s in removes.slice(0, few)" :key="s.number">
            <span class="second">{{ s.number }}</span><span class="one"
              ><NamedPackage :name="s.package!" :label="s.label" /><i v-if="s.group" class="second"
                >group {{ s.group }}</i
              ><i v-if="s.method !== rules.method" class="second">{{ methodWord[s.method!] }}</i></span
            >
          </li>
        </ol>
        <template v-if="quietens.length">
          <h2>
            Make quiet <span class="second">{{ quietens.length }}, they stay</span>
          </h2>
          <ol>
            <li v-for="s in quietens" :key="s.number">
              <span class="second">{{ s.number }}</span><NamedPackage :name="s.package!" :label="s.label" />
            </li>
          </ol>
        </template>
      </template>
    </template>
    <h2>Check by hand</h2>
    <ul class="checks">
      <li v-for="c in composition.checks" :key="c.text" :class="{ out: c.out }">
        <label
          ><input type="checkbox" :checked="!c.out" :disabled="!editable" @change="toggle(c)" /> {{ c.text }}
          <span v-if="c.own" class="faint">added</span></label
        >
      </li>
    </ul>
    <form v-if="editable" class="add" @submit.prevent="addCheck">
      <input
        v-model="check"
        class="field"
        aria-label="Another thing to try"
        placeholder="another thing to try"
        maxlength="200"
      />
      <button class="link second" type="submit">add</button>
    </form>
    <ExtraDialog v-if="adding" @close="adding = false" @add="add" />
  </section>
</template>

<style scoped>
.sheet {
  overflow: auto;
  padding: 2px 14px 24px;
}
.sheet:focus-visible {
  outline-offset: -2px;
}
h2 {
  margin: 14px 0 5px;
}
h2 .second {
  font-weight: 400;
}
ol li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr);
  line-height: 20px;
}
.one {
  display: flex;
  gap: 6px;
  align-items: baseline;
  min-width: 0;
}
.one i {
  flex: none;
  font-style: normal;
  font-size: 12px;
}
.out {
  margin-left: 4px;
}
.checks label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  line-height: 21px;
}
.checks li.out label {
  text-decoration: line-through;
  color: var(--second);
  margin-left: 0;
}
.add {
  display: flex;
  gap: 6px;
  margin-top: 4px;
}
.add .field {
  flex: 1;
  min-width: 0;
}
</style>
