<script setup lang="ts">
// A drawing with axes. The library that draws it is loaded with the first of them.
import type { PlotOptions } from '@observablehq/plot'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

type Library = typeof import('@observablehq/plot')
// Width is the frame's own: options are made for it.
const props = defineProps<{ label: string; options: (plot: Library, width: number) => PlotOptions }>()
const emit = defineEmits<{ click: [event: MouseEvent] }>()
const frame = ref<HTMLElement>()
let library: Library | undefined
let watcher: ResizeObserver | undefined

function draw() {
  const at = frame.value
  if (!library || !at || !at.clientWidth) return
  const drawn = library.plot({
    style: { fontFamily: 'inherit', fontSize: '11px', background: 'none', overflow: 'visible' },
    ...props.options(library, at.clientWidth),
    width: at.clientWidth,
  })
  drawn.setAttribute('aria-hidden', 'true')
  at.replaceChildren(drawn)
}
onMounted(async () => {
  library = await import('@observablehq/plot')
  draw()
  watcher = new ResizeObserver(draw)
  if (frame.value) watcher.observe(frame.value)
})
onBeforeUnmount(() => watcher?.disconnect())
watch(() => props.options, draw)
</script>

<template>
  <div ref="frame" class="plot" role="img" :aria-label="label" @click="emit('click', $event)" />
</template>

<style scoped>
.plot {
  min-height: 60px;
  color: var(--second);
}
</style>
