<script setup lang="ts">
// The phone is chosen, accepts this computer, and is looked at.
import { computed } from 'vue'
import type { Bench, LooseStandIn } from './bench'
import type { View } from './messages'
import PhoneBox from './PhoneBox.vue'
import { t } from './words'

const props = defineProps<{ bench: Bench; view: View; pretend: LooseStandIn[] }>()
defineEmits<{ picked: [handle: string] }>()
const ready = computed(() => props.view.phones.filter((p) => p.ready && p.mark))
</script>

<template>
  <h2>{{ t('attach.title') }}</h2>
  <PhoneBox :bench="bench" :view="view" :pretend="pretend" />
  <p v-if="ready.length > 1">{{ t('attach.two') }}</p>
  <ul v-if="ready.length" class="rows">
    <li v-for="p in ready" :key="p.handle">
      <span>
        <b>{{ p.name }}</b> <span class="second">{{ p.maker }}, {{ p.version }}</span>
      </span>
      <button class="go-on" :disabled="!!view.doing" @click="$emit('picked', p.handle)">{{ t('attach.this') }}</button>
    </li>
  </ul>
  <template v-if="view.doing === 'reading'">
    <progress :value="view.progress.step" :max="view.progress.steps + 1" />
    <p role="status" class="second">{{ t('attach.reading', { what: view.progress.asking }) }}</p>
  </template>
</template>
