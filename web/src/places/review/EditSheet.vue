<script setup lang="ts">
import { computed } from 'vue'
import EditValue from '@/evidence/EditValue.vue'
import { fieldWord, stateWord } from '@/evidence/words'
import PackageName from '@/marks/PackageName.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { useScope } from '@/shell/scope'
import type { ReviewedEdit, Verdict } from './change'

const props = defineProps<{
  edit: ReviewedEdit
  number: number
  picked: boolean
  deciding: boolean
  own: boolean
  decided?: { verdict: Verdict; words: string }
}>()
const emit = defineEmits<{ decide: [verdict: Verdict | undefined]; say: [words: string]; again: [] }>()
const { query } = useScope()
const trial = computed(() => props.edit.field === 'trial')
const outcome: Record<Verdict, string> = {
  accepted: 'Will be accepted',
  returned: 'Will be returned',
  'turned-down': 'Will be turned down',
}
</script>

<template>
  <article :class="{ picked }">
    <span class="second">{{ number }}</span>
    <div class="what">
      <p class="about">
        <router-link class="plain" :to="{ name: 'dossier', params: { name: edit.package }, query }"
          ><PackageName :name="edit.package"
        /></router-link>
        <b v-if="edit.label" dir="auto">{{ edit.label }}</b>
        <span class="second"
          >{{ fieldWord[edit.field] }}{{ edit.scopeKind === 'everywhere' ? '' : `, for ${edit.scopeName}` }}</span
        >
      </p>
      <div v-if="trial" class="after one"><EditValue field="trial" :value="edit.value" :build="edit.buildName" /></div>
      <div v-else class="turn">
        <div class="before">
          <EditValue :field="edit.field" :value="edit.state === 'open' ? edit.now : edit.base" />
        </div>
        <span aria-label="becomes">→</span>
        <div class="after"><EditValue :field="edit.field" :value="edit.value" /></div>
      </div>
      <p v-if="edit.verdict === 'conflict' && edit.state === 'open'" class="ochre">
        Somebody changed this after the edit was made; it was <EditValue :field="edit.field" :value="edit.base" /> then.
        It can only be returned or turned down.
      </p>
      <p v-if="edit.reason" dir="auto">“{{ edit.reason }}”</p>
      <div v-if="edit.field === 'load' || trial" class="evidence">
        <TrialStrip :strip="edit.after.strip" />
        <span class="second">{{
          edit.after.strip
            ? `the trials seen from ${trial ? edit.buildName : edit.scopeName}${edit.after.strip !== edit.before.strip ? ', with those of this change' : ''}`
            : 'nobody has tried it'
        }}</span>
      </div>
      <p v-if="edit.moreLenient" class="aside">More lenient than the evidence suggests.</p>
      <p v-if="trial && edit.phoneUnseen && edit.state === 'open'" class="aside second">
        No capture of this phone was sent in.
      </p>
      <div v-if="decided?.verdict === 'returned'" :id="`words-${edit.id}`" class="words">
        <v-textarea
          :model-value="decided.words"
          label="What is missing? These words go to the author."
          maxlength="2000"
          @update:model-value="emit('say', $event)"
        />
      </div>
      <p v-if="edit.words" class="aside">
        “{{ edit.words }}” <span class="second">{{ edit.decidedBy }}</span>
      </p>
    </div>
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
        <span>{{ outcome[decided.verdict] }}</span>
        <button class="act quiet" @click.stop="emit('decide', undefined)">Undo</button>
      </template>
      <template v-else-if="deciding">
        <button class="act first" :disabled="edit.verdict === 'conflict'" @click.stop="emit('decide', 'accepted')">
          Accept <kbd>a</kbd>
        </button>
        <button class="act" @click.stop="emit('decide', 'returned')">Return with words <kbd>r</kbd></button>
        <button class="act quiet" @click.stop="emit('decide', 'turned-down')">Turn down <kbd>d</kbd></button>
      </template>
      <span v-else class="second">open</span>
    </div>
  </article>
</template>

<style scoped>
article {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) 210px;
  gap: 12px;
  padding: 11px 18px 13px;
  border-bottom: 1px solid var(--hair);
}
article.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.what {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.about {
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.about b {
  font-weight: 600;
}
.plain {
  text-decoration: none;
}
.turn {
  display: grid;
  grid-template-columns: 1fr 22px 1fr;
  align-items: center;
  gap: 6px;
}
.turn > span {
  text-align: center;
}
.before,
.after {
  min-height: 30px;
  display: flex;
  align-items: center;
  padding: 4px 9px;
  border: 1px solid var(--hair);
  background: var(--sheet);
}
.after {
  border-color: var(--ink);
}
.evidence {
  display: flex;
  gap: 12px;
  align-items: center;
}
.aside {
  border-left: 2px solid var(--hair);
  padding-left: 9px;
}
.verdict {
  display: flex;
  flex-direction: column;
  gap: 5px;
}
</style>
