<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words } from '@/api/client'
import { useEvidenceDialogs } from '@/editing/dialogs'
import { loads, loadWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import DossierGraded from './DossierGraded.vue'
import DossierHappened from './DossierHappened.vue'
import DossierHistory from './DossierHistory.vue'
import DossierMargin from './DossierMargin.vue'
import DossierRests from './DossierRests.vue'
import DossierOverTime from './DossierOverTime.vue'
import DossierShips from './DossierShips.vue'
import DossierUses from './DossierUses.vue'
import DossierWhat from './DossierWhat.vue'
import { useDossier } from './dossier'
import { useImpact } from './impact'

const route = useRoute()
const router = useRouter()
const { scope, query } = useScope()
const name = computed(() => String(route.params.name))
const dossier = useDossier(name, scope)
const impact = useImpact(name, scope)
const rests = ref<InstanceType<typeof DossierRests>>()
const d = computed(() => dossier.data.value)
const label = computed(() => d.value?.labels.en ?? Object.values(d.value?.labels ?? {})[0] ?? '')
const subject = computed(() => ({ name: name.value, label: label.value }))
const dialogs = useEvidenceDialogs()

const basis = computed(() => {
  const g = d.value?.grade
  if (!g) return ''
  const hidden = g.hidden.map((h) => `${loadWord[(h.value as { load: string }).load]} for ${h.scopeName}`).join(', ')
  const parts = [
    g.bySuggestion
      ? 'by suggestion; nobody has graded it'
      : g.suggested === g.load
        ? 'suggested the same'
        : `the evidence suggests ${loadWord[g.suggested]}`,
  ]
  if (hidden) parts.push(`${hidden}, is hidden by it`)
  return parts.join('; ')
})

useKeys([
  { keys: ['t'], does: 'add a trial', run: () => dialogs.trial(subject.value) },
  {
    keys: ['1', '2', '3', '4', '0'],
    does: 'propose a load, 0 for Unproven',
    run: (e) => dialogs.load([subject.value], e.key === '0' ? 'unproven' : loads[Number(e.key) - 1]!),
  },
  { keys: ['g'], does: 'to its neighbours; the arrows walk, Enter goes there', run: () => rests.value?.focus() },
  { keys: ['s'], does: 'add a source', run: () => dialogs.source(subject.value) },
  {
    keys: ['u', 'Escape'],
    does: 'back to the Ledger',
    // Whoever came from there goes back to their row, with their filter.
    run: () => {
      if (String(window.history.state?.back ?? '').startsWith('/ledger')) router.back()
      else void router.push({ path: '/ledger', query: query.value })
    },
  },
  { keys: ['h'], does: 'to its history', run: () => document.getElementById('history')?.scrollIntoView() },
])
</script>

<template>
  <div v-if="dossier.isError.value" class="empty">
    <h1>No dossier</h1>
    <p class="second">{{ words(dossier.error.value) }}</p>
    <router-link class="act" :to="{ path: '/ledger', query }">To the Ledger</router-link>
  </div>
  <div v-else-if="d" class="scroll" tabindex="0" role="region" aria-label="Dossier">
    <header>
      <LoadMark :load="d.grade.load" :size="40" />
      <img v-if="d.package.icon" class="icon" :src="`/api/v1/packages/${name}/icon`" width="34" height="34" alt="" />
      <div>
        <h1 dir="auto">{{ label || 'No label is known' }}</h1>
        <PackageName :name="name" />
      </div>
      <div class="grade">
        <p class="load">
          <b>{{ loadWord[d.grade.load] }}</b>{{
            d.grade.applies
              ? d.grade.applies.scopeKind === 'everywhere'
                ? ', everywhere'
                : `, for ${d.grade.applies.scopeName}`
              : ''
          }}
        </p>
        <p class="second">{{ basis }}</p>
        <p v-if="d.grade.moreLenient" class="ochre">More lenient than the evidence suggests.</p>
      </div>
    </header>
    <DossierWhat :d="d" :subject="subject"
      ><DossierRests ref="rests" :d="d" :around="impact.data.value" :subject="subject"
    /></DossierWhat>
    <DossierGraded :d="d" />
    <DossierHappened :d="d" :subject="subject" />
    <DossierUses :d="d" :name="name" />
    <section class="part"><DossierShips :d="d" /><DossierOverTime :name="name" /></section>
    <section class="part last"><DossierHistory :d="d" /></section>
    <Teleport defer to="#margin"><DossierMargin :d="d" :around="impact.data.value" :subject="subject" /></Teleport>
  </div>
</template>

<style scoped>
.icon {
  border: 1px solid var(--hair);
  object-fit: contain;
}
.scroll {
  overflow: auto;
  height: 100%;
}
.part {
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
.part.last {
  border-bottom: 0;
  padding-bottom: 40px;
}
header {
  display: flex;
  gap: 18px;
  align-items: end;
  padding: 16px 18px 13px;
  border-bottom: 1px solid var(--ink);
}
h1 {
  font-size: 28px;
  line-height: 1.1;
}
.grade {
  margin-left: auto;
  text-align: right;
  max-width: 56%;
}
.load {
  font-size: 15px;
}
.load b {
  font-weight: 650;
}
</style>
