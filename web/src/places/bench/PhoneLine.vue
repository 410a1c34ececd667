<script setup lang="ts">
// A phone in the list: what it is, or what is wrong with it.
import { firmware, type Place } from './bench'
import { progressOf, stateOf, type RunLine } from './run'

defineProps<{ place: Place; picked: boolean; run?: RunLine }>()
defineEmits<{ pick: [] }>()
</script>

<template>
  <button :class="{ picked }" :aria-pressed="picked" @click="$emit('pick')">
    <template v-if="place.phone">
      <span>
        <b>{{ place.phone.name }}</b> <span class="second">{{ place.phone.maker }}</span>
        <i v-if="place.phone.standIn">stand-in</i>
      </span>
      <span v-if="place.phone.ready" class="second">{{
        place.phone.version ? firmware(place.phone) : 'asking who it is'
      }}</span>
      <span v-else class="ochre">{{ place.phone.wrong }}</span>
      <span v-if="run" :class="{ ochre: run.state !== 'going' }">{{ stateOf(run) }}</span>
      <span v-if="run" class="bar"><em :style="{ width: `${100 * progressOf(run)}%` }" /></span>
      <span v-if="place.phone.address" class="mono faint">{{ place.phone.address }}</span>
    </template>
    <template v-else-if="place.standIn">
      <span
        ><b>{{ place.standIn.name }}</b> <i>stand-in</i></span
      >
      <span class="ochre">{{
        place.standIn.stuck ? 'does not start' : place.standIn.plugged ? 'is being reached' : 'is not plugged in'
      }}</span>
      <span class="mono faint">{{ place.standIn.address }}</span>
    </template>
  </button>
</template>

<style scoped>
button {
  display: flex;
  flex-direction: column;
  width: 100%;
  padding: 9px 14px;
  border-bottom: 1px solid var(--hair);
  text-align: left;
}
button:focus-visible {
  outline-offset: -2px;
}
.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
b {
  font-weight: 650;
}
.bar {
  height: 3px;
  margin-top: 5px;
  background: var(--hair);
}
.bar em {
  display: block;
  height: 100%;
  background: var(--ink);
}
i {
  font-style: normal;
  font-size: 11px;
  padding: 0 4px;
  margin-left: 4px;
  border: 1px dashed var(--faint);
  color: var(--second);
}
</style>
