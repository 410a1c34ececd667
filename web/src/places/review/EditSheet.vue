<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import EditValue from '@/editing/EditValue.vue'
import { ceiling } from '@/format/numbers'
import { fieldWord, loadWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import TrialStrip from '@/marks/TrialStrip.vue'
import { useBenches } from '@/places/bench/bench'
import { useScope } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import type { Decided, ReviewedEdit, Verdict } from './change'
import ConflictValues from './ConflictValues.vue'
import EditVerdict from './EditVerdict.vue'
import TalkThread from './TalkThread.vue'

const props = defineProps<{
  edit: ReviewedEdit
  number: number
  picked: boolean
  marked: boolean
  deciding: boolean
  own: boolean
  comments: Schemas['Comment'][]
  lookedAt?: string
  decided?: Decided
  comment: (text: string) => Promise<boolean>
}>()
const emit = defineEmits<{
  decide: [verdict: Verdict | undefined]
  settle: [decided: Decided | undefined]
  say: [words: string]
  // Out of the words of a return, to the edits; they stay written.
  leave: []
  finish: []
  again: []
}>()
const { query } = useScope()
const trial = computed(() => props.edit.field === 'trial')
const adds = computed(() => trial.value || props.edit.field === 'source')
// What vouches for the phone of a trial.
const { benches } = useBenches()
const phoneKnown = computed(() => {
  const { phone } = props.edit.value as { phone?: string }
  const at = (benches.value ?? []).flatMap((b) => b.view.phones).find((p) => p.mark === phone)
  const name = at ? `${at.label || at.name}, attached now: ` : ''
  if (props.edit.phoneRun) return `${name}a capture of this phone and run ${props.edit.phoneRun} of it are known.`
  return name + (props.edit.phoneUnseen ? 'no capture of this phone was sent in.' : 'a capture of this phone is known.')
})
const conflict = computed(() => props.edit.verdict === 'conflict' && props.edit.state === 'open')
const movedWord: Record<string, string> = {
  new: 'new since your last look',
  decided: 'decided since your last look',
  catalogue: 'the catalogue moved since your last look',
  said: 'somebody said something since your last look',
}
</script>

<template>
  <article :class="{ picked, marked }">
    <span class="second">{{ number }}</span>
    <div class="what">
      <p class="about">
        <router-link class="plain" :to="{ name: 'dossier', params: { name: edit.package }, query }"
          ><PackageName :name="edit.package"
        /></router-link>
        <b v-if="edit.label" dir="auto">{{ edit.label }}</b>
        <span class="second"
          >{{ edit.takes ? 'takes out a ' : '' }}{{ fieldWord[edit.field]
          }}{{ edit.scopeKind === 'everywhere' ? '' : `, for ${edit.scopeName}` }}</span
        >
        <span v-if="edit.round > 1" class="second">round {{ edit.round }}</span>
        <span v-if="edit.moved" class="fresh">{{ movedWord[edit.moved] }}</span>
      </p>
      <div v-if="edit.unreadable" class="after one">
        <EditValue :field="edit.field" :value="null" :unreadable="edit.unreadable" />
      </div>
      <div v-else-if="edit.takes" class="before one">
        <s><EditValue :field="edit.field" :value="edit.base" :build="edit.buildName" /></s>
      </div>
      <div v-else-if="adds" class="after one">
        <EditValue :field="edit.field" :value="edit.value" :build="edit.buildName" />
      </div>
      <ConflictValues
        v-else-if="conflict"
        :edit="edit"
        :deciding="deciding"
        :decided="decided"
        @settle="emit('settle', $event)"
      />
      <div v-else class="turn">
        <div class="before">
          <span v-if="edit.state === 'open' && !edit.now && edit.inForce" class="force"
            ><LoadMark :load="edit.inForce.load" silent /> {{ loadWord[edit.inForce.load] }}
            <span class="second">{{ edit.inForce.bySuggestion ? 'by suggestion' : 'from further off' }}</span></span
          >
          <EditValue v-else :field="edit.field" :value="edit.state === 'open' ? edit.now : edit.base" />
        </div>
        <span aria-label="becomes">→</span>
        <div class="after"><EditValue :field="edit.field" :value="edit.settled ?? edit.value" /></div>
      </div>
      <p v-if="edit.unreadable && edit.state === 'open'" class="aside second">
        An older program stored it. It can be returned to its author or turned down, and not accepted.
      </p>
      <p v-if="edit.settled && !conflict && !edit.unreadable" class="aside">
        {{ edit.settledBy }} wrote this in place of <EditValue :field="edit.field" :value="edit.value" />
      </p>
      <p v-if="edit.takes && edit.gone" class="aside second">It is out already.</p>
      <p v-if="edit.reason" dir="auto">“{{ edit.reason }}”</p>
      <div v-if="edit.field === 'load' || trial" class="evidence">
        <TrialStrip :strip="edit.after.strip" />
        <span class="second">{{
          edit.after.strip
            ? `the trials seen from ${trial ? edit.buildName : edit.scopeName}${edit.after.strip !== edit.before.strip ? ', with those of this change' : ''}`
            : 'nobody has tried it'
        }}</span>
        <span v-if="edit.after.phones" class="limit"
          >≤ {{ ceiling(edit.before.ceiling)
          }}<template v-if="edit.before.ceiling !== edit.after.ceiling">
            → <b>{{ ceiling(edit.after.ceiling) }}</b></template
          ><template v-if="edit.alone && edit.alone.ceiling !== edit.after.ceiling"
            ><span class="second">; by this trial alone {{ ceiling(edit.alone.ceiling) }}</span></template
          ></span
        >
      </div>
      <p v-if="edit.needs > 1" class="aside why">
        <template v-for="(w, i) in edit.why" :key="w">{{ i ? '; ' : '' }}{{ w }}</template
        >. <b>Needs {{ edit.needs === 2 ? 'a second reviewer' : `${edit.needs} reviewers` }}</b
        ><template v-if="edit.approved.length">; accepted by {{ edit.approved.join(', ') }}</template
        >.
      </p>
      <p v-if="trial && !edit.takes && edit.state === 'open'" class="aside why second" data-testid="phone known">
        {{ phoneKnown }}
      </p>
      <div v-if="decided?.verdict === 'returned'" :id="`words-${edit.id}`" class="words">
        <v-textarea
          :model-value="decided.words"
          label="What is missing? These words go to the author."
          maxlength="2000"
          @update:model-value="emit('say', $event)"
          @keydown.ctrl.enter.prevent.stop="emit('finish')"
          @keydown.esc.prevent.stop="emit('leave')"
        />
        <p class="second">
          <KeyCap of="Ctrl" /> <KeyCap of="Enter" /> finishes, <KeyCap of="Esc" /> keeps the words and goes back to the
          edits
        </p>
      </div>
      <p v-if="edit.words" class="aside">
        “{{ edit.words }}” <span class="second">{{ edit.decidedBy }}</span>
      </p>
      <TalkThread :comments="comments" :about="edit.package" :looked-at="lookedAt" :say="comment" />
    </div>
    <EditVerdict
      :edit="edit"
      :own="own"
      :deciding="deciding"
      :conflict="conflict"
      :decided="decided"
      @decide="emit('decide', $event)"
      @again="emit('again')"
    />
  </article>
</template>

<style scoped>
article {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) 210px;
  gap: 12px;
  padding: 11px 18px 13px;
  border-bottom: 1px solid var(--hair);
  content-visibility: auto;
  contain-intrinsic-size: auto 130px;
}
@media (max-width: 1150px) {
  article {
    grid-template-columns: 16px minmax(0, 1fr) 176px;
  }
}
article.marked {
  background: var(--soft);
  box-shadow: inset 3px 0 var(--ink);
}
article.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
article.picked.marked {
  box-shadow:
    inset 3px 0 var(--ring),
    inset 6px 0 var(--ink);
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
.fresh {
  padding-left: 6px;
  border-left: 2px solid var(--ring);
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
.force {
  display: flex;
  gap: 6px;
  align-items: center;
}
.evidence {
  display: flex;
  gap: 12px;
  align-items: center;
}
.limit {
  margin-left: auto;
  white-space: nowrap;
}
.aside {
  border-left: 2px solid var(--hair);
  padding-left: 9px;
}
.why::first-letter {
  text-transform: uppercase;
}
</style>
