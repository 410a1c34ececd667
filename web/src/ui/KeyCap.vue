<script setup lang="ts">
// A key beside what it does, as it has to be pressed. A key that writes a
// character shows nothing to who has switched those off.
import { computed } from 'vue'
import { useKeyWay, ways, writesCharacter } from '@/composables/keys'

const props = defineProps<{ of: string }>()
const way = useKeyWay()
const words: Record<string, string> = { ' ': 'Space', ArrowDown: '↓', ArrowUp: '↑', ArrowLeft: '←', ArrowRight: '→' }
const caps = computed(() => [...(writesCharacter(props.of) ? ways[way.value].before : []), words[props.of] ?? props.of])
</script>

<template>
  <template v-if="way !== 'off' || !writesCharacter(of)"
    ><kbd v-for="cap in caps" :key="cap">{{ cap }}</kbd></template
  >
</template>

<style scoped>
kbd + kbd {
  margin-left: 2px;
}
</style>
