<script setup lang="ts">
// A package name: the shared namespace dimmed, the telling end in full ink.
// Too long a name loses its front, never its end.
import { computed } from 'vue'

const props = defineProps<{ name: string }>()
const split = computed(() => {
  const parts = props.name.split('.')
  const n = Math.min(2, parts.length - 1)
  return n < 1 ? ['', props.name] : [parts.slice(0, n).join('.') + '.', parts.slice(n).join('.')]
})
</script>

<template>
  <span class="name mono" :title="name"
    ><bdi
      ><span class="front">{{ split[0] }}</span
      >{{ split[1] }}</bdi
    ></span
  >
</template>

<style scoped>
.name {
  display: inline-block;
  max-width: 100%;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  direction: rtl;
  text-align: left;
  vertical-align: bottom;
}
bdi {
  direction: ltr;
  unicode-bidi: isolate;
}
.front {
  color: var(--faint);
}
</style>
