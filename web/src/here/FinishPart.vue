<script setup lang="ts">
// The way that was opened is closed again; the page sees whether it is.
import { computed } from 'vue'
import type { Bench, LooseStandIn } from './bench'
import type { View } from './messages'
import { t } from './words'

const props = defineProps<{ bench: Bench; view: View; pretend: LooseStandIn[]; list: string }>()
const open = computed(() => props.view.phones.some((p) => p.ready))
</script>

<template>
  <h2>{{ t('finish.title') }}</h2>
  <p>{{ t('finish.why') }}</p>
  <ol class="how">
    <li>{{ t('finish.1') }}</li>
    <li>{{ t('finish.2') }}</li>
    <li>
      <button class="press" @click="bench.forget()">{{ t('finish.forget') }}</button>
    </li>
  </ol>
  <p class="big" role="status">{{ open ? t('finish.open') : t('finish.closed') }}</p>
  <p>
    <a :href="list">{{ t('finish.back') }}</a>
  </p>
</template>
