<script setup lang="ts">
import { computed } from 'vue'
import { ceiling, count, loadWord, people } from '@/evidence/words'
import HarmInterval from '@/marks/HarmInterval.vue'
import type { ReviewedEdit } from './change'

const props = defineProps<{ edit: ReviewedEdit; author: string }>()
const moves = computed(() => props.edit.before.ceiling !== props.edit.after.ceiling)
const seen = computed(() => (props.edit.field === 'trial' ? props.edit.buildName : props.edit.scopeName))
</script>

<template>
  <h1>Evidence</h1>
  <p class="second">for {{ edit.label || edit.package }}, seen from {{ seen }}</p>
  <template v-if="edit.after.phones">
    <h2>
      At most {{ ceiling(edit.before.ceiling)
      }}<template v-if="moves"> → {{ ceiling(edit.after.ceiling) }}</template> of phones harmed
    </h2>
    <HarmInterval :floor="edit.after.floor" :ceiling="edit.after.ceiling" />
    <p class="second">
      {{ count(edit.after.phones, 'phone') }}, {{ people(edit.after.people) }},
      {{ edit.after.harmedPhones ? `${edit.after.harmedPhones} harmed` : 'none harmed' }}
    </p>
    <h2>Standing</h2>
    <p>
      {{ edit.before.standing
      }}<template v-if="edit.before.standing !== edit.after.standing">
        → <b>{{ edit.after.standing }}</b></template
      >
    </p>
  </template>
  <template v-else>
    <h2>No trials</h2>
    <p class="second">Nobody has tried it on a phone that counts here.</p>
  </template>
  <h2>Suggested load</h2>
  <p>
    {{ loadWord[edit.before.suggested]
    }}<template v-if="edit.before.suggested !== edit.after.suggested">
      → <b>{{ loadWord[edit.after.suggested] }}</b></template
    >
  </p>
  <p v-if="moves" class="second">The second figures hold when all open trials of this change are accepted.</p>
  <div class="keys">
    <span><kbd>j</kbd> <kbd>k</kbd> move</span><span><kbd>a</kbd> accept</span><span><kbd>r</kbd> return</span
    ><span><kbd>d</kbd> turn down</span>
  </div>
</template>
