<script setup lang="ts">
// What may go: everything beside the cut line itself.
import { computed } from 'vue'
import { loadWord, methodWord, originWord, slugWords } from '@/format/vocabulary'
import type { Schemas } from '@/api/client'
import type { Composition, Rules } from './profile'

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
        <option v-for="m in ['remove-for-user', 'disable']" :key="m" :value="m">{{ methodWord[m] }}</option>
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
        <option v-for="m in ['remove-for-user', 'disable']" :key="m" :value="m">{{ methodWord[m] }}</option>
      </select></label
    >
    <h2>Functions to keep</h2>
    <ul v-if="composition.functions.length" class="ticks">
      <li v-for="f in composition.functions" :key="f">
        <label
          ><input
            type="checkbox"
            :checked="rules.keep?.includes(f) ?? false"
            :disabled="!editable"
            @change="emit('rules', { keep: flip(rules.keep, f) })"
          />
          {{ slugWords(f) }}</label
        >
      </li>
    </ul>
    <p v-else class="second">Nobody has said of any package here what it does.</p>
    <template v-if="composition.functions.length">
      <h2>Only what is for</h2>
      <p class="second">
        {{
          rules.only?.length
            ? 'Nothing goes that is for none of these, but by a pin.'
            : 'None ticked: whatever it is for.'
        }}
      </p>
      <ul class="ticks">
        <li v-for="f in composition.functions" :key="f">
          <label
            ><input
              type="checkbox"
              :checked="rules.only?.includes(f) ?? false"
              :disabled="!editable"
              :aria-label="`Only what is for ${slugWords(f)}`"
              @change="emit('rules', { only: flip(rules.only, f) })"
            />
            {{ slugWords(f) }}</label
          >
        </li>
      </ul>
    </template>
    <h2>Whose packages may go</h2>
    <ul class="ticks">
      <li v-for="o in origins" :key="o">
        <label
          ><input
            type="checkbox"
            :checked="!rules.origins?.length || (rules.origins as string[]).includes(o)"
            :disabled="!editable"
            @change="origin(o)"
          />
          {{ originWord[o] }}</label
        >
      </li>
    </ul>
    <template v-if="others.length">
      <h2>Sister models</h2>
      <ul class="ticks">
        <li v-for="m in others" :key="m.id">
          <label><input v-model="sisters" type="checkbox" :value="m.id" :disabled="!editable" /> {{ m.name }}</label>
        </li>
      </ul>
      <p class="second">They are composed with it once the rules are kept.</p>
    </template>
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
.ticks label {
  display: flex;
  gap: 6px;
  line-height: 21px;
}
</style>
