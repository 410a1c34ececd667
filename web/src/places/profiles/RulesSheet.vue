<script setup lang="ts">
// What may go: everything beside the cut line itself.
import { computed } from 'vue'
import { loadWord, methodWord, originWord, slugWords } from '@/format/vocabulary'
import type { Schemas } from '@/api/client'
import { methods, type Composition, type Rules } from './profile'
import TickList from './TickList.vue'

const props = defineProps<{
  composition: Composition
  rules: Rules
  editable: boolean
  models: Schemas['Model'][]
  own: string
}>()
const emit = defineEmits<{ rules: [part: Partial<Rules>] }>()
const sisters = defineModel<string[]>('sisters', { required: true })
type Load = 'leaned-on' | 'tied-in' | 'unproven' | 'loose'
const perLoad: Load[] = ['loose', 'leaned-on', 'tied-in', 'unproven']
const origins = computed(() => [...new Set(props.composition.rows.map((r) => r.origin))].sort())
const functions = computed(() => props.composition.functions.map((f) => ({ value: f, word: slugWords(f) })))
const others = computed(() => props.models.filter((m) => m.id !== props.own))
const value = (e: Event) => (e.target as HTMLSelectElement).value
function method(load: Load, to: string) {
  const methods = { ...(props.rules.methods ?? {}) }
  if (to === '') delete methods[load]
  else methods[load] = to as Rules['method']
  emit('rules', { methods: Object.keys(methods).length ? methods : undefined })
}
function flip(list: string[] | null | undefined, one: string): string[] {
  return list?.includes(one) ? list.filter((x) => x !== one) : [...(list ?? []), one]
}
// No origin named means everybody's packages may go.
function origin(one: string) {
  const all = props.rules.origins?.length ? props.rules.origins : origins.value
  const next = flip(all, one)
  emit('rules', { origins: (next.length === origins.value.length ? [] : next) as Rules['origins'] })
}
</script>

<template>
  <section class="sheet" aria-label="Rules" tabindex="0">
    <h2>May go</h2>
    <label class="line"
      >up to
      <select
        class="field"
        :value="rules.highestLoad"
        :disabled="!editable"
        aria-label="The highest load that may go"
        @change="emit('rules', { highestLoad: value($event) as Rules['highestLoad'] })"
      >
        <option value="loose">Loose</option>
        <option value="leaned-on">Leaned on</option>
      </select></label
    >
    <label class="line"
      >standing at least
      <select
        class="field"
        :value="rules.leastStanding ?? 'thin'"
        :disabled="!editable"
        aria-label="The least standing"
        @change="emit('rules', { leastStanding: value($event) as Rules['leastStanding'] })"
      >
        <option v-for="s in ['thin', 'contested', 'fair', 'firm']" :key="s">{{ s }}</option>
      </select></label
    >
    <label class="line"
      >Unproven
      <select
        class="field"
        :value="rules.unproven ?? 'by-hand'"
        :disabled="!editable"
        aria-label="What becomes of Unproven packages"
        @change="emit('rules', { unproven: value($event) as Rules['unproven'] })"
      >
        <option value="by-hand">by a pin alone</option>
        <option value="never">never</option>
      </select></label
    >
    <h2>How</h2>
    <label class="line"
      >usually
      <select
        class="field"
        :value="rules.method"
        :disabled="!editable"
        aria-label="The usual method"
        @change="emit('rules', { method: value($event) as Rules['method'] })"
      >
        <option v-for="m in methods" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <label class="line"
      >at the harshest
      <select
        class="field"
        :value="rules.harshest ?? 'remove-from-image'"
        :disabled="!editable"
        aria-label="The harshest method allowed"
        @change="emit('rules', { harshest: value($event) as Rules['method'] })"
      >
        <option v-for="m in methods" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <label v-for="l in perLoad" :key="l" class="line"
      >{{ loadWord[l] }}
      <select
        class="field"
        :value="rules.methods?.[l] ?? ''"
        :disabled="!editable"
        :aria-label="`How ${loadWord[l]} packages go`"
        @change="method(l, value($event))"
      >
        <option value="">as usual</option>
        <option v-for="m in methods" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <TickList
      title="Functions to keep"
      :items="functions"
      :ticked="rules.keep ?? []"
      :editable="editable"
      @flip="emit('rules', { keep: flip(rules.keep, $event) })"
    >
      <p v-if="!functions.length" class="second">Nobody has said of any package here what it does.</p>
    </TickList>
    <TickList
      v-if="functions.length"
      title="Only what is for"
      :items="functions"
      :ticked="rules.only ?? []"
      :editable="editable"
      @flip="emit('rules', { only: flip(rules.only, $event) })"
    >
      <p class="second">
        {{
          rules.only?.length
            ? 'Nothing goes that is for none of these, but by a pin.'
            : 'None ticked: whatever it is for.'
        }}
      </p>
    </TickList>
    <TickList
      title="Whose packages may go"
      :items="origins.map((o) => ({ value: o, word: originWord[o] ?? o }))"
      :ticked="rules.origins?.length ? rules.origins : origins"
      :editable="editable"
      @flip="origin"
    />
    <TickList
      v-if="others.length"
      title="Sister models"
      :items="others.map((m) => ({ value: m.id, word: m.name }))"
      :ticked="sisters"
      :editable="editable"
      @flip="sisters = flip(sisters, $event)"
    >
      <p class="second">They are composed with it once the rules are kept.</p>
    </TickList>
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
.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  line-height: 26px;
  color: var(--second);
}
</style>
