<script setup lang="ts">
// What is saved first, and the last word before anything is done.
import { ref } from 'vue'
import { t } from './words'

defineProps<{ count: number }>()
const emit = defineEmits<{ start: [ownersData: 'saved' | 'none'] }>()
const data = ref<'saved' | 'none'>()
const begun = ref(false)

function start() {
  begun.value = true
  emit('start', data.value!)
}
</script>

<template>
  <h2>{{ t('save.title') }}</h2>
  <p>{{ t('save.why') }}</p>
  <p>
    <label><input v-model="data" type="radio" value="saved" /> {{ t('save.saved') }}</label>
  </p>
  <p>
    <label><input v-model="data" type="radio" value="none" /> {{ t('save.none') }}</label>
  </p>
  <button class="go-on" :disabled="!data || begun" @click="start">{{ t('save.start', { n: count }) }}</button>
  <p v-if="begun" role="status" class="second">{{ t('save.checking') }}</p>
</template>
