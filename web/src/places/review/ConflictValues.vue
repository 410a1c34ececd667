<script setup lang="ts">
// Three values side by side: what the edit was made on, what the catalogue
// says now, and what the edit says. One of them stands, or another is written.
import { ref } from 'vue'
import EditValue from '@/editing/EditValue.vue'
import FieldWriter from '@/editing/FieldWriter.vue'
import { ago, exactTime } from '@/format/dates'
import type { Decided, ReviewedEdit } from './change'

const props = defineProps<{ edit: ReviewedEdit; deciding: boolean; decided?: Decided }>()
const emit = defineEmits<{ settle: [decided: Decided | undefined] }>()
const writing = ref(false)
const written = ref<unknown>()

const over = () => props.edit.nowRevision
function now() {
  emit('settle', { verdict: 'turned-down', words: 'The catalogue says what is right by now.' })
}
function theirs() {
  writing.value = false
  emit('settle', { verdict: 'accepted', words: '', over: over() })
}
function write() {
  writing.value = false
  emit('settle', {
    verdict: 'accepted',
    words: 'Settled by a reviewer.',
    over: over(),
    written: JSON.parse(JSON.stringify(written.value)) as unknown,
  })
}
</script>

<template>
  <div class="three">
    <div>
      <span class="second">was</span>
      <EditValue :field="edit.field" :value="edit.base" />
    </div>
    <div :class="{ stands: decided?.verdict === 'turned-down' }">
      <span class="second">now</span>
      <EditValue :field="edit.field" :value="edit.now" />
    </div>
    <div :class="{ stands: decided?.verdict === 'accepted' && decided.written === undefined }">
      <span class="second">theirs</span>
      <EditValue :field="edit.field" :value="edit.settled ?? edit.value" />
    </div>
  </div>
  <p class="second">
    {{ edit.nowBy || 'Somebody' }} set it in change {{ edit.nowChange
    }}<template v-if="edit.nowAt"
      >, <span :title="exactTime(edit.nowAt)">{{ ago(edit.nowAt) }}</span></template
    >, after this edit was made.
  </p>
  <template v-if="deciding && !decided">
    <div class="pick">
      <button class="act" @click.stop="now">Keep now</button>
      <button class="act" @click.stop="theirs">Take theirs</button>
      <button
        v-if="edit.field !== 'substitutes' && edit.field !== 'links'"
        class="act quiet"
        :aria-expanded="writing"
        @click.stop="writing = !writing"
      >
        Write
      </button>
    </div>
    <div v-if="writing" class="writer" @click.stop>
      <FieldWriter v-model="written" :field="edit.field" :value="edit.settled ?? edit.value" />
      <p class="second">What you write needs another reviewer.</p>
      <button class="act" :disabled="written === undefined" @click="write">This is right</button>
    </div>
  </template>
  <p v-else-if="decided?.written !== undefined">
    you wrote: <b><EditValue :field="edit.field" :value="decided.written" /></b>
  </p>
</template>

<style scoped>
.three {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 6px;
}
@media (max-width: 1150px) {
  .three {
    grid-template-columns: minmax(0, 1fr);
  }
}
.three > div {
  min-height: 30px;
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 4px 9px;
  border: 1px solid var(--hair);
  background: var(--sheet);
}
.three > .stands {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.pick {
  display: flex;
  gap: 6px;
}
.writer {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 8px;
  padding: 8px 9px;
  border: 1px solid var(--hair);
  background: var(--sheet);
}
.writer > * {
  width: 100%;
}
.writer > .act {
  width: auto;
}
</style>
