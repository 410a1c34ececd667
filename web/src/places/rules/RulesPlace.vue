<script setup lang="ts">
// What holds for everybody here: all read it, the keeper sets it.
import InstallationRules from './InstallationRules.vue'
import ReviewRules from './ReviewRules.vue'
</script>

<template>
  <div class="paper" tabindex="0" role="region" aria-label="Rules">
    <ReviewRules />
    <InstallationRules />
  </div>
</template>

<style scoped>
.paper > * + * {
  margin-top: 28px;
}
</style>
