<script setup lang="ts">
// What a capture means: compared with what was known before it.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { touch } from '@/api/stale'
import FieldDialog from '@/editing/FieldDialog.vue'
import { count } from '@/format/numbers'
import { useBenches } from '@/places/bench/bench'
import { addressOf } from '@/places/builds/builds'
import { useJob } from '@/places/bench/job'
import ComparisonLanes from './ComparisonLanes.vue'
import LinkDifferences from './LinkDifferences.vue'
import PackageTable, { type IntakePackage } from './PackageTable.vue'
import PhoneFacts from './PhoneFacts.vue'
import ReadReports from './ReadReports.vue'
import { exactTime } from '@/format/dates'

const route = useRoute()
const id = computed(() => String(route.params.id))
const capture = useQuery({
  queryKey: computed(() => ['capture', id.value]),
  queryFn: () => ask(api.GET('/api/v1/captures/{id}', { params: { path: { id: id.value } } })),
})
const intake = useQuery({
  queryKey: computed(() => ['intake', id.value]),
  queryFn: () => ask(api.GET('/api/v1/captures/{id}/intake', { params: { path: { id: id.value } } })),
})
const c = computed(() => capture.data.value)
const i = computed(() => intake.data.value)
const build = computed(() => [c.value?.carrier, c.value?.region, c.value?.version].filter(Boolean).join(' '))
const scope = computed(() => ({
  maker: c.value?.maker ?? '',
  model: c.value?.model ?? '',
  build: c.value?.buildId ?? '',
}))
const edition = (b: { carrier: string; region: string; version: string }) =>
  [b.carrier || b.region || 'the open edition', b.version].join(' ')
const counts = computed(() => [
  { what: 'gone since', n: i.value?.before?.gone.length ?? 0 },
  { what: 'changed since', n: i.value?.before?.changed.length ?? 0 },
  { what: 'new since', n: i.value?.before?.new.length ?? 0 },
  { what: 'other names', n: i.value?.before?.renamed.length ?? 0 },
  { what: 'never seen before', n: i.value?.neverSeen.length ?? 0 },
  { what: 'no grade here', n: i.value?.ungraded.length ?? 0 },
])
// What rests on what since the firmware before. The page is first shown once it is
// there, or has failed: what comes in between would move what somebody is about to
// press.
const links = useQuery({
  queryKey: computed(() => ['links', c.value?.buildId, i.value?.before?.id]),
  enabled: computed(() => !!c.value && !!i.value?.before),
  queryFn: () =>
    ask(
      api.GET('/api/v1/builds/{id}/links/since/{against}', {
        params: { path: { id: c.value!.buildId, against: i.value!.before!.id } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const whole = ref(false)
watchEffect(() => {
  const coming = i.value?.before && links.isPending.value && !links.failureReason.value
  if (c.value && i.value) whole.value ||= !coming
})
const editing = ref<IntakePackage>()

// Names can be read from the package files while that phone is attached.
const { benches } = useBenches()
const attached = computed(() => {
  for (const b of benches.value ?? [])
    for (const p of b.view.phones)
      if (p.ready && p.mark && p.mark === c.value?.phone) return { bench: b.id, phone: p.handle }
  return undefined
})
interface Naming {
  done: number
  of: number
  at: string
  failed: number
}
const naming = useJob<Naming, Naming>(() => {
  void touch('captures')
})
const named = computed(() => naming.progress.value)
function name() {
  if (attached.value)
    void naming.start(attached.value.bench, { kind: 'names', phone: attached.value.phone, with: id.value })
}
</script>

<template>
  <section v-if="c && i && whole" class="intake" aria-label="Intake">
    <header>
      <div>
        <h1>{{ c.makerName }} {{ c.modelName }}, {{ build }}</h1>
        <p class="second">
          Android {{ c.release }} · {{ count(c.packages, 'package') }} · captured {{ exactTime(c.takenAt)
          }}{{ c.source === 'file' ? ' from files' : '' }}
        </p>
      </div>
      <span class="acts">
        <router-link
          v-if="i.before"
          class="act first"
          :to="addressOf(`build:${i.before.id}`, `build:${c.buildId}`, scope)"
          >Compare in full</router-link
        >
        <router-link class="act" :to="addressOf(`build:${c.buildId}`, `capture:${id}`, scope)"
          >This phone and its firmware</router-link
        >
        <router-link class="act" :to="{ path: '/ledger', query: scope }">See it in the Ledger</router-link>
      </span>
    </header>
    <p v-if="!c.complete" class="notice bad">Incomplete: {{ c.missing }}.</p>
    <p class="sum">
      {{ i.newMaker ? 'A maker that is new here' : 'A known maker' }},
      {{ i.newModel ? 'a model that is new here' : 'a known model' }},
      {{ i.newBuild ? 'a firmware that nobody had captured' : 'a known firmware' }}.
    </p>
    <dl class="counts">
      <div v-for="n in counts" :key="n.what">
        <dt>{{ n.what }}</dt>
        <dd :class="{ faint: !n.n }">{{ n.n }}</dd>
      </div>
    </dl>

    <ComparisonLanes
      v-if="i.earlier"
      tone="ochre"
      title="It contradicts the capture before it of this firmware"
      note="Both are kept. Usually a phone that was updated only in part, or an edition that its maker does not tell apart."
      :comparison="i.earlier"
    />
    <ComparisonLanes v-if="i.before" :title="`Since ${edition(i.before)}`" :comparison="i.before" />
    <LinkDifferences
      v-if="i.before && links.data.value"
      :differences="links.data.value"
      :title="`What rests on what, since ${edition(i.before)}`"
    />
    <p v-if="!i.before && i.newBuild" class="second plain">
      No older firmware of this edition is known to compare it with.
    </p>
    <ComparisonLanes v-for="s in i.sisters" :key="s.id" :title="`Beside ${edition(s)}`" :comparison="s" names-only />

    <section>
      <h2>Names</h2>
      <p v-if="!i.unnamed" class="second">
        The files of all its packages have been read: what they are called is known.
      </p>
      <template v-else>
        <p>
          {{ count(i.unnamed, 'package') }} whose file nobody has read for its name on screen.
          <span v-if="!attached" class="second">Attach this phone to a bench to read them.</span>
        </p>
        <div class="naming">
          <button v-if="naming.busy.value" class="act" @click="naming.cancel()">Stop; what was read is kept</button>
          <button v-else class="act" :disabled="!attached" @click="name">Read the names from the phone</button>
          <span v-if="naming.busy.value" role="status" class="second"
            >{{ named?.done ?? 0 }} of {{ named?.of ?? i.unnamed }} <span class="mono">{{ named?.at }}</span></span
          >
        </div>
      </template>
      <p v-if="named?.failed" class="second">{{ count(named.failed, 'file') }} could not be read.</p>
      <p v-if="naming.wrong.value" class="ochre" role="alert">{{ naming.wrong.value }}</p>
    </section>

    <section>
      <h2>
        Never seen before <span class="second">{{ i.neverSeen.length }}</span>
      </h2>
      <PackageTable v-if="i.neverSeen.length" :rows="i.neverSeen" :scope="scope" @origin="editing = $event" />
      <p v-else class="second">All were seen on some phone before.</p>
    </section>
    <section>
      <h2>
        No grade here <span class="second">{{ i.ungraded.length }}</span>
      </h2>
      <PackageTable v-if="i.ungraded.length" :rows="i.ungraded" :scope="scope" @origin="editing = $event" />
      <p v-else class="second">Every package of this firmware has a grade.</p>
    </section>
    <PhoneFacts :facts="i.phone" :gone="c.gone" />
    <ReadReports :reports="c.reports" />
    <FieldDialog
      v-if="editing"
      :subjects="[{ name: editing.name, label: editing.label }]"
      :title="editing.label || editing.name"
      field="origin"
      :value="editing.origin"
      @close="editing = undefined"
    />
  </section>
  <div v-else-if="capture.isError.value || intake.isError.value" class="notice bad" role="alert">
    {{ words(capture.error.value ?? intake.error.value) }}
  </div>
  <Teleport defer to="#margin">
    <h1>Intake</h1>
    <p class="second">What one capture adds to what was known. Nothing here changes a grade; people do.</p>
    <template v-if="c?.phone">
      <h2>The phone</h2>
      <p class="mono">{{ c.phone.slice(0, 12) }}</p>
      <p class="second">A keyed hash of its serial number. The number itself is never stored.</p>
    </template>
  </Teleport>
</template>

<style scoped>
.intake {
  overflow: auto;
  padding-bottom: 30px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  flex-wrap: wrap;
  gap: 8px 20px;
  padding: 12px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.act {
  text-decoration: none;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.sum,
.plain {
  padding: 12px 18px 0;
}
.sum {
  font-size: 15px;
}
.counts {
  display: flex;
  flex-wrap: wrap;
  margin: 12px 18px 0;
  border: 1px solid var(--hair);
}
.counts div {
  flex: 1 1 110px;
  padding: 6px 12px;
  border-right: 1px solid var(--hair);
}
.counts div:last-child {
  border-right: 0;
}
.counts dt {
  color: var(--second);
}
.counts dd {
  font-size: 20px;
  font-weight: 650;
  line-height: 1.2;
}
.intake > section {
  padding: 16px 18px 0;
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
.naming {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 6px;
}
</style>
