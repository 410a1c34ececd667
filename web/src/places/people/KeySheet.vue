<script setup lang="ts">
// How keys that write a character are pressed, in this browser.
import { useKeyWay, ways, type Way } from '@/composables/keys'
import ChoiceRow from '@/ui/ChoiceRow.vue'
import KeyCap from '@/ui/KeyCap.vue'

const way = useKeyWay()
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
    <p v-if="way !== 'off'" class="second"><KeyCap of="j" /> is the next row, <KeyCap of="?" /> shows all keys.</p>
  </section>
</template>
