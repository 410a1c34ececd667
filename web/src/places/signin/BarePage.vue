<script setup lang="ts">
// A page for who is not in yet: one form in its middle, or why there is none.
defineProps<{ nothing?: string; why?: string }>()
</script>

<template>
  <main class="page">
    <div v-if="nothing" class="empty">
      <h1>{{ nothing }}</h1>
      <p class="second">{{ why }}</p>
    </div>
    <slot v-else />
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: grid;
  place-items: center;
  overflow: auto;
}
.page :slotted(form) {
  width: 340px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 20px;
}
</style>
