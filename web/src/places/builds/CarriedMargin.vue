<script setup lang="ts">
import { count } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'
import KeyCap from '@/ui/KeyCap.vue'
import type { Carried } from './carried'

defineProps<{ row?: Carried }>()
</script>

<template>
  <h1>Carried over</h1>
  <p class="second">
    Grades, trials and profiles are not copied to a new firmware. A trial on another one counts for less, so that
    ceilings rise until somebody tries it there.
  </p>
  <template v-if="row">
    <h2>{{ row.label || row.name }}</h2>
    <p>
      {{ loadWord[row.then.load || row.then.suggested] }} then, {{ loadWord[row.now.load || row.now.suggested] }} here;
      {{ row.now.standing }} here, from {{ count(row.now.phones, 'phone') }}.
    </p>
  </template>
  <h2>Proposed again</h2>
  <p class="second">
    Mark rows and propose their load for this firmware, or for the model: the edits wait in your tray, with one reason
    for all.
  </p>
  <div class="keys">
    <span><KeyCap of="x" /> mark</span><span><KeyCap of="X" /> all</span><span><KeyCap of="p" /> propose again</span
    ><span><KeyCap of="t" /> trial</span>
  </div>
</template>
