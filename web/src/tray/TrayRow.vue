<script setup lang="ts">
// One unsent edit: what it says, why, and what a reviewer would ask.
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import EditValue from '@/editing/EditValue.vue'
import { fieldWord, loadWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import NamedPackage from '@/marks/NamedPackage.vue'
import type { Edit } from './tray'

const props = defineProps<{
  edit: Edit
  goes: boolean
  check?: Schemas['CheckedEdit']
  // tell says how many reviewers it needs: not where all need as many.
  tell: boolean
}>()
const emit = defineEmits<{ out: []; goes: [on: boolean]; reason: [text: string] }>()
const reason = ref(props.edit.reason)
// Why it needs more than one reviewer is said once, as that.
const questions = computed(() =>
  (props.check?.questions ?? []).filter((q) => !(q.kind === 'more-lenient' && props.check!.needs > 1)),
)
// What holds now: a trial and a source take no value's place.
const inForce = computed(() => props.check?.inForce)
const set = computed(() => props.edit.now !== null && props.edit.now !== undefined && props.edit.field !== 'load')
</script>

<template>
  <li :class="{ stays: !goes }">
    <input
      type="checkbox"
      :checked="goes"
      :aria-label="`Send the edit of ${edit.package}`"
      @change="emit('goes', ($event.target as HTMLInputElement).checked)"
    />
    <NamedPackage :name="edit.package" :label="edit.label" />
    <span class="second"
      >{{ edit.takes ? 'takes out a ' : '' }}{{ fieldWord[edit.field]
      }}{{ edit.scopeKind === 'everywhere' ? '' : ` for ${edit.scopeName}`
      }}{{ edit.revises ? `, revises change ${edit.revises}` : ''
      }}{{ edit.reverts ? `, takes back change ${edit.reverts}` : '' }}</span
    >
    <span class="value">
      <s v-if="edit.takes"><EditValue :field="edit.field" :value="edit.base" :build="edit.buildName" /></s>
      <template v-else
        ><template v-if="inForce"
          ><LoadMark :load="inForce.load" silent /> {{ loadWord[inForce.load] }}
          <span class="second">{{ inForce.bySuggestion ? 'by suggestion ' : '' }}</span></template
        ><EditValue v-else-if="set" :field="edit.field" :value="edit.now" />
        <span v-if="inForce || set" aria-label="becomes"> → </span
        ><EditValue :field="edit.field" :value="edit.value" :build="edit.buildName" :unreadable="edit.unreadable"
      /></template>
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
      <p v-for="q in questions" :key="q.kind"><span class="second">asks: </span>{{ q.words }}</p>
      <p v-if="tell && check && check.needs > 1" class="second">
        {{ check.needs }} reviewers: {{ check.why.join('; ') }}.
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
  display: flex;
  flex-wrap: wrap;
  gap: 2px 6px;
  align-items: center;
  min-width: 0;
  overflow-wrap: anywhere;
}
.asks {
  grid-column: 2 / -1;
}
</style>
