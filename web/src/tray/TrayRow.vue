<script setup lang="ts">
// One unsent edit: what it says, why, and what a reviewer would ask.
import { ref } from 'vue'
import type { Schemas } from '@/api/client'
import EditValue from '@/editing/EditValue.vue'
import { fieldWord } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import type { Edit } from './tray'

const props = defineProps<{ edit: Edit; goes: boolean; check?: Schemas['CheckedEdit'] }>()
const emit = defineEmits<{ out: []; goes: [on: boolean]; reason: [text: string] }>()
const reason = ref(props.edit.reason)
</script>

<template>
  <li :class="{ stays: !goes }">
    <input
      type="checkbox"
      :checked="goes"
      :aria-label="`Send the edit of ${edit.package}`"
      @change="emit('goes', ($event.target as HTMLInputElement).checked)"
    />
    <PackageName :name="edit.package" />
    <span class="second"
      >{{ edit.takes ? 'takes out a ' : '' }}{{ fieldWord[edit.field]
      }}{{ edit.scopeKind === 'everywhere' ? '' : ` for ${edit.scopeName}`
      }}{{ edit.revises ? `, revises change ${edit.revises}` : ''
      }}{{ edit.reverts ? `, takes back change ${edit.reverts}` : '' }}</span
    >
    <span class="value">
      <s v-if="edit.takes"><EditValue :field="edit.field" :value="edit.base" :build="edit.buildName" /></s>
      <EditValue v-else :field="edit.field" :value="edit.value" :build="edit.buildName" :unreadable="edit.unreadable" />
    </span>
    <input
      v-model="reason"
      class="field why"
      maxlength="2000"
      placeholder="why"
      :aria-label="`Why, for ${edit.package}`"
      @change="emit('reason', reason)"
    />
    <button class="link" :aria-label="`Take the edit of ${edit.package} out`" @click="emit('out')">take out</button>
    <div v-if="edit.words || edit.unreadable || check" class="asks">
      <p v-if="edit.unreadable" class="ochre">Take it out: it can’t be sent.</p>
      <p v-if="edit.words" class="ochre">returned: “{{ edit.words }}”</p>
      <p v-for="q in check?.questions" :key="q.kind"><span class="second">asks: </span>{{ q.words }}</p>
      <p v-if="check && check.needs > 1" class="second">
        Needs {{ check.needs }} reviewers: {{ check.why.join('; ') }}.
      </p>
    </div>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 16px minmax(150px, 240px) 150px minmax(0, 1fr) minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: center;
  min-height: 30px;
  padding: 3px 0;
  border-bottom: 1px solid var(--row);
}
.stays {
  color: var(--faint);
}
.value {
  min-width: 0;
  overflow-wrap: anywhere;
}
.asks {
  grid-column: 2 / -1;
}
</style>
