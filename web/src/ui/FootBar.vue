<script setup lang="ts">
// The dark line along the bottom: what is pending, in words, and its action.
// The tray lives there; places that decide something put their own in.
defineProps<{ name: string }>()
</script>

<template>
  <footer class="foot" :aria-label="name">
    <b>{{ name }}</b>
    <slot />
  </footer>
</template>

<style>
.foot {
  display: flex;
  align-items: center;
  gap: 18px;
  height: 36px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-ink);
}
.foot .dim {
  color: var(--bar-second);
}
.foot .go {
  background: var(--bar-ink);
  color: var(--bar);
  font-weight: 600;
  padding: 3px 14px;
}
.foot > :not(.go) + .go {
  margin-left: auto;
}
.foot kbd {
  background: none;
  color: inherit;
  border-color: var(--bar-second);
}
@media (max-width: 720px) {
  .foot {
    flex-wrap: wrap;
    gap: 4px 14px;
    height: auto;
    min-height: 36px;
    padding: 4px 14px;
  }
  .foot .dim {
    display: none;
  }
}
.foot .go.plain {
  background: none;
  color: inherit;
  box-shadow: inset 0 0 0 1px var(--bar-second);
}
</style>
