<script setup lang="ts">
// What evidence is measured by: everybody may read it and try other values;
// the keeper may make them hold.
import { computed, ref, watch } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import { useSession } from '@/composables/session'
import ShiftTable from './ShiftTable.vue'

type Yardstick = Schemas['Yardstick']
const { may } = useSession()
const { etag, query } = useHeld('yardstick', () => api.GET('/api/v1/yardstick'))
const y = ref<Yardstick>()
function asItIs() {
  const now = query.data.value
  if (now) y.value = { transfer: { ...now.transfer }, thresholds: { ...now.thresholds } }
}
watch(() => query.data.value, asItIs, { immediate: true })
const changed = computed(() => !!y.value && JSON.stringify(y.value) !== JSON.stringify(query.data.value))

const distances = [
  ['sameBuild', 'the same build'],
  ['sameModelRelease', 'the same model and Android'],
  ['sameModel', 'the same model, another Android'],
  ['sameMakerRelease', 'the same maker and Android'],
  ['sameMaker', 'the same maker'],
  ['otherwise', 'anything else'],
  ['outside', 'and of that, when a stranger told of it'],
] as const
const shares = [
  ['near', 'a trial can contradict another, or call for Load-bearing, when it counts at least'],
  ['firmCeiling', 'firm, when the harm ceiling is at most'],
  ['firmFloor', 'firm, when the harm floor is at least'],
  ['thinWidth', 'thin, when ceiling and floor are farther apart than'],
  ['looseCeiling', 'Loose is suggested, when the harm ceiling is at most'],
] as const
const counts = [
  ['loosePeople', 'and at least so many people tried it'],
  ['loosePhones', 'and at least so many phones did without it'],
] as const

const shifts = ref<Schemas['Shifts']>()
const { busy, wrong, said: done, run } = useChange('rules', 'profile')
watch(y, () => (shifts.value = undefined), { deep: true })
const preview = () =>
  run(async () => {
    shifts.value = await ask(api.POST('/api/v1/yardstick/preview', { body: y.value! }))
  })
const hold = () =>
  run(async () => {
    await ask(api.PUT('/api/v1/yardstick', { params: { header: { 'If-Match': etag.value } }, body: y.value! }))
    await query.refetch()
  }, 'It holds now: every figure was made anew.')
</script>

<template>
  <section v-if="y" class="scroll" tabindex="0" role="region" aria-label="Yardstick">
    <h1>What evidence is measured by</h1>
    <p class="second about">
      A trial on one firmware says something about another, the less the farther they are apart. Harm ceiling, standing
      and suggested load follow from these numbers and from the trials alone.
    </p>
    <form @submit.prevent="preview">
      <fieldset>
        <legend>A trial counts, on</legend>
        <label v-for="[key, text] in distances" :key="key">
          <span>{{ text }}</span>
          <input v-model.number="y.transfer[key]" class="field" type="number" min="0" max="1" step="any" required />
        </label>
      </fieldset>
      <fieldset>
        <legend>Where words begin</legend>
        <label v-for="[key, text] in shares" :key="key">
          <span>{{ text }}</span>
          <input v-model.number="y.thresholds[key]" class="field" type="number" min="0" max="1" step="any" required />
        </label>
        <label v-for="[key, text] in counts" :key="key">
          <span>{{ text }}</span>
          <input v-model.number="y.thresholds[key]" class="field" type="number" min="1" max="1000" step="1" required />
        </label>
      </fieldset>
      <div class="acts">
        <button class="act" :disabled="!changed || busy">See what would change</button>
        <button v-if="may('keeper')" type="button" class="act first" :disabled="!shifts || busy" @click="hold">
          Let it hold
        </button>
        <button v-if="changed" type="button" class="link second" @click="asItIs">as it is now</button>
        <span v-if="busy" class="second" aria-live="polite">weighing every trial anew…</span>
        <span v-else-if="!may('keeper')" class="second">Only the keeper can make other values hold.</span>
      </div>
    </form>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <p v-if="done" role="status">{{ done }}</p>
    <ShiftTable v-if="shifts" :shifts="shifts" />
    <Teleport defer to="#margin">
      <h1>How a figure is made</h1>
      <p>Trials of one phone and build are one: the worst outcome stands.</p>
      <p>Each counts by how far its firmware is away.</p>
      <p>Of one person's clean phones the second counts 1/√2, the third 1/√3, and so on. Harms always count in full.</p>
      <p>
        Ceiling and floor are the one-sided 95 % limits of Clopper and Pearson on the share of phones harmed, for these
        sums.
      </p>
      <p class="second">What people have graded stays as it is, whatever is changed here.</p>
    </Teleport>
  </section>
  <div v-else-if="query.isError.value" class="notice bad" role="alert">{{ words(query.error.value) }}</div>
</template>

<style scoped>
.scroll {
  overflow: auto;
  height: 100%;
  padding: 18px;
}
#margin p {
  margin-top: 8px;
}
.about {
  max-width: 78ch;
  margin: 4px 0 14px;
}
form {
  display: grid;
  grid-template-columns: minmax(280px, 1fr) minmax(340px, 2fr);
  gap: 0 40px;
  max-width: 980px;
}
fieldset label {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 14px;
  padding: 3px 0;
  border-bottom: 1px solid var(--row);
}
.field {
  width: 76px;
  text-align: right;
}
.acts {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 16px 0 10px;
}
</style>
