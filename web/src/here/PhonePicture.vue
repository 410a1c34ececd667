<script setup lang="ts">
// A phone's screen as a drawing: rows of a list, one of which is meant, with a
// switch where there is one, and a cable where it is plugged in.
withDefaults(defineProps<{ rows?: number; meant?: number; taps?: number; turned?: boolean; plugged?: boolean }>(), {
  rows: 6,
  meant: -1,
  taps: 0,
  turned: false,
  plugged: false,
})
</script>

<template>
  <svg viewBox="0 0 92 150" width="92" height="150" aria-hidden="true" style="direction: ltr">
    <rect x="10" y="4" width="72" height="128" rx="9" fill="none" stroke="currentColor" stroke-width="2" />
    <rect x="36" y="9" width="20" height="3" rx="1.5" fill="currentColor" />
    <g v-for="i in rows" :key="i">
      <rect
        v-if="i - 1 === meant"
        x="14"
        :y="3 + i * 18"
        width="64"
        height="16"
        rx="2"
        fill="none"
        stroke="var(--ring)"
        stroke-width="2.5"
      />
      <rect
        x="19"
        :y="8 + i * 18"
        :width="turned && i - 1 === meant ? 34 : 26 + ((i * 13) % 20)"
        height="6"
        rx="1"
        fill="currentColor"
        :opacity="i - 1 === meant ? 1 : 0.28"
      />
      <g v-if="turned && i - 1 === meant">
        <rect x="60" :y="6 + i * 18" width="16" height="10" rx="5" fill="var(--l2)" />
        <circle cx="71" :cy="11 + i * 18" r="4" fill="#fff" />
      </g>
      <text
        v-if="taps && i - 1 === meant"
        x="75"
        :y="16 + i * 18"
        text-anchor="end"
        font-size="13"
        font-weight="700"
        fill="currentColor"
      >
        {{ taps }}×
      </text>
    </g>
    <g v-if="plugged" fill="none" stroke="currentColor" stroke-width="3">
      <rect x="40" y="132" width="12" height="8" fill="currentColor" stroke="none" />
      <path d="M46 140v10" />
    </g>
  </svg>
</template>
