<script setup lang="ts">
// A drawing of what to do about a phone that can't be used.
import { computed } from 'vue'

const props = defineProps<{ state: string }>()
const kind = computed(() => {
  if (['unauthorized', 'authorizing'].includes(props.state)) return 'prompt'
  if (['recovery', 'sideload', 'bootloader', 'rescue'].includes(props.state)) return 'button'
  if (props.state === 'no permissions') return 'rules'
  return 'cable'
})
const says: Record<string, string> = {
  prompt: 'A phone that asks whether to trust this computer, with Allow underlined',
  button: 'A phone with its power button marked',
  rules: 'A computer that bars the way to the phone',
  cable: 'A cable that is pulled out and plugged in again',
}
</script>

<template>
  <svg
    width="132"
    height="112"
    viewBox="0 0 132 112"
    role="img"
    :aria-label="says[kind]"
    fill="none"
    stroke="currentColor"
  >
    <rect x="8" y="4" width="54" height="96" rx="7" stroke-width="2" />
    <path d="M28 10h14" stroke-width="2" />
    <template v-if="kind === 'prompt'">
      <rect x="14" y="36" width="42" height="34" fill="var(--picked)" />
      <path d="M19 44h30M19 50h22" />
      <path class="mark" d="M38 64h13" stroke-width="3" />
      <path class="mark" d="M104 58 60 64m0 0 8-6m-8 6 9 4" stroke-width="2" />
    </template>
    <template v-else-if="kind === 'button'">
      <path class="mark" d="M63 34v18" stroke-width="4" />
      <path class="mark" d="M110 43H70m0 0 8-5m-8 5 8 5" stroke-width="2" />
      <path d="M24 52h22M24 58h16" />
    </template>
    <template v-else-if="kind === 'rules'">
      <path d="M35 100v6h30" stroke-width="2" />
      <path class="mark" d="M72 92v28M78 92v28" stroke-width="3" transform="translate(0 -14)" />
      <path d="M84 106h10" stroke-width="2" />
      <rect x="92" y="66" width="36" height="26" />
      <path d="M88 96h44" stroke-width="2" />
    </template>
    <template v-else>
      <path d="M35 100v4" stroke-width="2" />
      <rect class="mark" x="78" y="52" width="12" height="16" stroke-width="2" />
      <path d="M90 60h14c10 0 10 30 20 30" stroke-width="2" />
      <path class="mark" d="M72 56 66 60l6 4" stroke-width="2" />
      <path class="mark" d="M94 44l6 -4M94 76l6 4" stroke-width="2" />
    </template>
  </svg>
</template>

<style scoped>
svg {
  flex: none;
}
.mark {
  stroke: var(--ring);
}
</style>
