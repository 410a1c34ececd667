<script setup lang="ts">
// What strangers told, who have no account: a reviewer makes evidence of it, asks
// back, or puts it away.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import SheetDialog from '@/ui/SheetDialog.vue'
import OutsideTrial from './OutsideTrial.vue'
import { groupsOf, outcomeTold, type OutsideReport } from './outside'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const show = computed(() => (route.query.show === 'ended' ? 'ended' : 'waiting'))
const reports = useQuery({
  queryKey: computed(() => ['reports', show.value] as const),
  queryFn: () => ask(api.GET('/api/v1/reports', { params: { query: { show: show.value } } })),
})
const groups = computed(() => groupsOf(reports.data.value?.items ?? []))
const more = computed(() => (reports.data.value ? reports.data.value.all - reports.data.value.items.length : 0))

const trial = ref<OutsideReport>()
const writing = ref<{ report: OutsideReport; to: 'ask' | 'away' }>()
const text = ref('')
const { busy, wrong, said, run, dismiss } = useChange('reports', 'tray')

function write(report: OutsideReport, to: 'ask' | 'away') {
  dismiss()
  text.value = ''
  writing.value = { report, to }
}
async function send() {
  const { report, to } = writing.value!
  const path = { id: report.id }
  const done = await run(
    () =>
      to === 'ask'
        ? ask(api.POST('/api/v1/reports/{id}/notes', { params: { path }, body: { words: text.value } }))
        : ask(api.POST('/api/v1/reports/{id}/put-away', { params: { path }, body: { reason: text.value } })),
    to === 'ask'
      ? 'Whoever told sees the question on their page.'
      : 'It was put away, with your reason for whoever told.',
  )
  if (done) writing.value = undefined
}
// takeIn makes a capture of what came along, which is compared as any other is.
function takeIn(r: OutsideReport) {
  void run(
    () => ask(api.POST('/api/v1/reports/{id}/capture', { params: { path: { id: r.id } } })),
    'It was taken in as a capture: what it brings stands under “Taken in”.',
  )
}
function taken() {
  trial.value = undefined
  void run(async () => undefined, 'The trials are in your tray: send them, and somebody else decides.')
}
</script>

<template>
  <div class="listbar">
    <router-link class="link" :to="{ name: 'review', query }">Review</router-link>
    <button
      v-for="v in ['waiting', 'ended'] as const"
      :key="v"
      :aria-pressed="show === v"
      :class="{ on: show === v }"
      @click="router.replace({ query: { ...query, show: v } })"
    >
      {{ v }}
    </button>
    <span class="second">told from outside, trouble first</span>
  </div>
  <p v-if="said" class="notice" role="status">
    {{ said }} <router-link v-if="said.includes('tray')" class="link" to="/desk">Desk</router-link>
  </p>
  <div v-if="reports.isError.value" class="notice bad" role="alert">{{ words(reports.error.value) }}</div>
  <div v-else-if="groups.length" class="groups" tabindex="0" role="region" aria-label="Reports from outside">
    <section
      v-for="g in groups"
      :key="g.key"
      :aria-label="[g.release || 'not listed', outcomeTold[g.outcome], g.about, g.firmware].filter(Boolean).join(': ')"
    >
      <h2>
        <b
          >{{ outcomeTold[g.outcome] }}<template v-if="g.about">: {{ g.about }}</template></b
        >
        <span class="second"
          >{{ g.release || 'of no release' }}<template v-if="g.firmware">, {{ g.firmware }}</template></span
        >
        <span>{{ count(g.phones, 'phone') }}</span>
      </h2>
      <article v-for="r in g.reports" :key="r.id">
        <p class="second" :title="exactTime(r.at)">
          {{ ago(r.at) }}<template v-if="r.since">, since {{ r.since.slice(0, 10) }}</template>
          <template v-if="r.state === 'asked'"> · asked back</template>
          <template v-if="r.state === 'taken'"> · taken by {{ r.decidedBy }}</template>
          <template v-if="r.state === 'put-away'"> · put away by {{ r.decidedBy }}: {{ r.reason }}</template>
        </p>
        <p v-if="r.words" class="told" dir="auto">{{ r.words }}</p>
        <details v-if="r.log">
          <summary>Its log</summary>
          <pre>{{ r.log }}</pre>
        </details>
        <p v-if="r.byHand" class="second">Done by hand, in the phone’s settings.</p>
        <p v-if="r.capture" class="second">
          Along with it: what the phone has, {{ r.capture.maker }} {{ r.capture.model }} {{ r.capture.version }},
          Android {{ r.capture.release }}, {{ count(r.capture.packages, 'package')
          }}{{ r.capture.complete ? '' : ', not all of it' }}.
          <router-link v-if="r.captureId" class="link" :to="{ name: 'intake', params: { id: r.captureId } }"
            >Taken in</router-link
          >
          <button v-else-if="r.state !== 'put-away'" class="link" @click="takeIn(r)">Take it in</button>
        </p>
        <p v-for="(n, i) in r.notes" :key="i" class="note" dir="auto">
          <b>{{ n.by || 'whoever told' }}</b> {{ n.words }}
        </p>
        <p v-if="show === 'waiting'" class="acts">
          <button v-if="r.outcome !== 'not-listed'" class="act" @click="trial = r">Make trials of it</button>
          <button class="act quiet" @click="write(r, 'ask')">Ask back</button>
          <button class="act quiet" @click="write(r, 'away')">Put it away</button>
        </p>
      </article>
    </section>
    <p v-if="more > 0" class="second rest">and {{ more }} more, once some of these are done</p>
  </div>
  <div v-else-if="!reports.isPending.value" class="empty">
    <h1>{{ show === 'waiting' ? 'Nobody outside waits for an answer' : 'Nothing was decided yet' }}</h1>
    <p class="second">Each release’s page has a way to tell what happened, with no account.</p>
  </div>
  <OutsideTrial v-if="trial" :report="trial" @close="trial = undefined" @taken="taken" />
  <SheetDialog
    v-if="writing"
    :title="writing.to === 'ask' ? 'Ask back' : 'Put it away'"
    :action="writing.to === 'ask' ? 'Ask' : 'Put it away'"
    :ready="!!text.trim()"
    :busy="busy"
    :wrong="wrong"
    missing="Say it in a sentence."
    @close="writing = undefined"
    @act="send"
  >
    <label>
      {{ writing.to === 'ask' ? 'Your question' : 'Why, for whoever told' }}
      <textarea v-model="text" class="field" rows="4" maxlength="2000" />
    </label>
  </SheetDialog>
  <Teleport defer to="#margin">
    <h1>From outside</h1>
    <p>
      People with no account told this. Nothing of it is public, and nothing counts, before a reviewer made something of
      it.
    </p>
    <h2>What it counts</h2>
    <p>
      Trials made of it are kept apart, count for a part, and alone make nothing more than thin.
      <router-link class="link" to="/yardstick">The yardstick</router-link>
    </p>
  </Teleport>
</template>

<style scoped>
.listbar button {
  padding: 2px 0;
  color: var(--second);
}
.listbar button.on {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 2px var(--ink);
}
.listbar .second {
  margin-left: auto;
}
.groups {
  overflow: auto;
}
section {
  border-bottom: 1px solid var(--hair);
  padding: 12px 18px;
}
h2 {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  font-size: 14px;
  font-weight: 400;
}
h2 b {
  font-weight: 650;
}
article {
  border-left: 3px solid var(--hair);
  margin: 10px 0 4px;
  padding-left: 12px;
}
.told {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 72ch;
}
pre {
  max-height: 200px;
  overflow: auto;
  font-size: 12px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 6px;
}
label {
  display: grid;
  gap: 4px;
}
.rest {
  padding: 12px 18px;
}
</style>
