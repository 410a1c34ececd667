<script setup lang="ts">
// How a phone is made to listen to a computer.
import { t } from './words'

defineEmits<{ next: [] }>()
</script>

<template>
  <h2>{{ t('ready.title') }}</h2>
  <p>{{ t('ready.why') }}</p>
  <ol class="how">
    <li>{{ t('ready.1') }}</li>
    <li>{{ t('ready.2') }}</li>
    <li>{{ t('ready.3') }}</li>
    <li>{{ t('ready.4') }}</li>
    <li>{{ t('ready.5') }}</li>
  </ol>
  <p class="second">{{ t('ready.nofind') }}</p>
  <button class="go-on" @click="$emit('next')">{{ t('ready.done') }}</button>
</template>
