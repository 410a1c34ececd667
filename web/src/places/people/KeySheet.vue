<script setup lang="ts">
// How keys that write a character are pressed, in this browser.
import { useKeyWay, ways, type Way } from '@/composables/keys'
import { useMarkSteps } from '@/composables/marking'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import KeyCap from '@/ui/KeyCap.vue'

const way = useKeyWay()
const steps = useMarkSteps()
const options = (Object.keys(ways) as Way[]).map((value) => ({ value, word: ways[value].words }))
</script>

<template>
  <section aria-label="Keys">
    <h2>Keys</h2>
    <p class="second">
      Many things are one key away. Where letters get in your way, because you speak to your computer or press keys by
      accident, press them otherwise. The arrows, Enter and Escape stay as they are; this browser remembers it.
    </p>
    <ChoiceRow v-model="way" title="A letter is pressed" :options="options" />
    <p>
      <label><input v-model="steps" type="checkbox" /> <KeyCap of="x" /> marks a row and goes on to the next</label>
    </p>
    <p v-if="way !== 'off'" class="second"><KeyCap of="j" /> is the next row, <KeyCap of="?" /> shows all keys.</p>
  </section>
</template>
