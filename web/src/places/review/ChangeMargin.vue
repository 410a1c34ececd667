<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import KnockOn from '@/editing/KnockOn.vue'
import { ago, exactTime } from '@/format/dates'
import { ceiling, count, people } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'
import HarmInterval from '@/marks/HarmInterval.vue'
import KeyCap from '@/ui/KeyCap.vue'
import type { ReviewedEdit } from './change'

const props = defineProps<{
  edit: ReviewedEdit
  edits: ReviewedEdit[]
  sent: string
  effect?: Schemas['KnockOn']
  wrong?: string
  deciding: boolean
}>()
const judged = computed(() => props.edit.field === 'load' || props.edit.field === 'trial')
const moves = computed(() => props.edit.before.ceiling !== props.edit.after.ceiling)
const seen = computed(() => (props.edit.field === 'trial' ? props.edit.buildName : props.edit.scopeName))
// Fields that somebody has set since the change was sent.
const moved = computed(() => props.edits.filter((e) => e.state === 'open' && e.nowAt && e.nowAt > props.sent))
</script>

<template>
  <template v-if="edits.some((e) => e.state === 'open')">
    <h1>Knock-on</h1>
    <p class="second">if all open edits are accepted that you do not send back</p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <KnockOn v-if="effect" :effect="effect" />
    <p v-else-if="!wrong" class="second" aria-busy="true">working it out…</p>
    <template v-if="moved.length">
      <h2>Moved under it since it was sent</h2>
      <p v-for="e in moved" :key="e.id">
        {{ e.label || e.package }}: {{ e.nowBy }} in change {{ e.nowChange }},
        <span :title="exactTime(e.nowAt!)">{{ ago(e.nowAt!) }}</span>
      </p>
    </template>
  </template>
  <template v-if="judged">
    <h1 class="next">Evidence</h1>
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
      <p>
        {{ edit.before.standing
        }}<template v-if="edit.before.standing !== edit.after.standing">
          → <b>{{ edit.after.standing }}</b></template
        >, suggests {{ loadWord[edit.after.suggested] }}
      </p>
    </template>
    <p v-else class="second">Nobody has tried it on a phone that counts here.</p>
  </template>
  <p v-else-if="!edits.some((e) => e.state === 'open')" class="second">Nothing of this change is open any more.</p>
  <div v-if="deciding" class="keys">
    <span><KeyCap of="j" /> <KeyCap of="k" /> move</span><span><KeyCap of="a" /> accept</span
    ><span><KeyCap of="r" /> return</span><span><KeyCap of="d" /> turn down</span><span><KeyCap of="x" /> mark</span
    ><span><KeyCap of="s" /> mark similar</span><span><KeyCap of="f" /> finish</span
    ><span><KeyCap of="n" /> next change</span>
  </div>
</template>

<style scoped>
.next:not(:first-child) {
  margin-top: 18px;
}
</style>
