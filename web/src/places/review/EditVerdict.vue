<script setup lang="ts">
// What was decided about an edit, or can be.
import { count } from '@/format/numbers'
import { stateWord } from '@/format/vocabulary'
import KeyCap from '@/ui/KeyCap.vue'
import type { Decided, ReviewedEdit, Verdict } from './change'

defineProps<{ edit: ReviewedEdit; own: boolean; deciding: boolean; conflict: boolean; decided?: Decided }>()
const emit = defineEmits<{ decide: [verdict: Verdict | undefined]; again: [] }>()
const outcome: Record<Verdict, string> = {
  accepted: 'Will be accepted',
  returned: 'Will be returned',
  'turned-down': 'Will be turned down',
}
</script>

<template>
  <div class="verdict">
    <template v-if="edit.state !== 'open'">
      <span :class="edit.state === 'returned' ? 'ochre' : 'second'"
        >{{ stateWord[edit.state] }}{{ edit.decidedBy ? ` by ${edit.decidedBy}` : '' }}</span
      >
      <button v-if="own && edit.state === 'returned'" class="act quiet" @click.stop="emit('again')">
        Back into the tray
      </button>
    </template>
    <template v-else-if="decided">
      <span
        >{{ outcome[decided.verdict]
        }}{{
          decided.verdict === 'accepted' && edit.needs > edit.approved.length + 1
            ? `, then waits for ${count(edit.needs - edit.approved.length - 1, 'other', 'others')}`
            : ''
        }}</span
      >
      <button class="act quiet" @click.stop="emit('decide', undefined)">Undo</button>
    </template>
    <template v-else-if="deciding">
      <button v-if="!conflict && !edit.unreadable" class="act first" @click.stop="emit('decide', 'accepted')">
        Accept <KeyCap of="a" />
      </button>
      <button class="act" @click.stop="emit('decide', 'returned')">Return with words <KeyCap of="r" /></button>
      <button class="act quiet" @click.stop="emit('decide', 'turned-down')">Turn down <KeyCap of="d" /></button>
    </template>
    <template v-else>
      <span class="second">open</span>
      <button v-if="own && !edit.takes" class="act quiet" @click.stop="emit('again')">Revise</button>
    </template>
  </div>
</template>

<style scoped>
.verdict {
  display: flex;
  flex-direction: column;
  gap: 5px;
}
</style>
