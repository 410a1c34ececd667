<script setup lang="ts">
// What a run would do to this phone, against its capture of a moment ago.
// Nothing is changed; every step can be left out.
import { useQuery } from '@tanstack/vue-query'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { count } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import FootBar from '@/ui/FootBar.vue'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import BackupPanel from './BackupPanel.vue'
import BenchFrame from './BenchFrame.vue'
import { placesOf, useBenches } from './bench'
import GivenPanel from './GivenPanel.vue'
import OwnerQuestions from './OwnerQuestions.vue'
import RehearsalRows from './RehearsalRows.vue'
import RootPanel from './RootPanel.vue'
import { fitWord, noChoices, type Choices } from './run'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const { benches } = useBenches()
const text = (key: string) => (typeof route.query[key] === 'string' ? (route.query[key] as string) : '')
const of = computed(() => ({
  capture: text('capture'),
  ...(text('release') ? { release: text('release') } : { profile: text('profile') }),
}))
// A run measures unless somebody does not want that here.
const measures = useLocalStorage('roster-measure-runs', true)
const choices = ref<Choices>({ ...noChoices, measure: measures.value })
function toggleMeasure() {
  measures.value = !measures.value
  set({ measure: measures.value })
}
// The job that asked the phone for root, once it has ended.
const root = ref('')
const rooted = computed(() => (root.value ? { root: root.value } : {}))
const rehearsal = useQuery({
  queryKey: computed(() => ['rehearsal', of.value, choices.value, root.value]),
  queryFn: () =>
    ask(api.POST('/api/v1/rehearsals', { body: { ...of.value, ...rooted.value, choices: choices.value } })),
  placeholderData: (before) => before,
  staleTime: 0,
})
const r = computed(() => rehearsal.data.value)
const title = computed(() =>
  r.value?.number ? `${r.value.title}, no. ${r.value.number}` : `${r.value?.title}, a draft`,
)
const place = computed(() =>
  (benches.value ?? [])
    .flatMap(placesOf)
    .find((p) => p.bench.id === text('bench') && p.phone?.handle === text('phone')),
)
const notMade = computed(() => !!r.value?.stops.some((s) => s.code === 'other-firmware') || choices.value.anyway)
const goes = computed(() =>
  (r.value?.rows ?? [])
    .filter((x) => x.kind === 'remove' && ['goes', 'refuses'].includes(x.would))
    .map((x) => x.package!),
)
const needsRestart = computed(
  () => !!r.value?.rows.some((x) => x.method === 'remove-from-image' && ['goes', 'to-see'].includes(x.would)),
)
const set = (part: Partial<Choices>) => (choices.value = { ...choices.value, ...part })

const { busy, wrong, run, dismiss } = useChange()
const start = () =>
  run(async () => {
    const { id } = await ask(
      api.POST('/api/v1/runs', {
        body: { ...of.value, ...rooted.value, choices: choices.value, bench: text('bench'), phone: text('phone') },
      }),
    )
    await router.push({ name: 'run', params: { id }, query: query.value })
  })
const sure = ref(false)
</script>

<template>
  <BenchFrame
    :at="place?.key"
    @update:at="(key?: string) => router.push({ name: 'bench', query: { ...query, at: key } })"
  >
    <section class="sheet" aria-label="Rehearsal">
      <p v-if="rehearsal.isError.value" class="notice bad" role="alert">
        {{ words(rehearsal.error.value) }} <button class="link" @click="rehearsal.refetch()">Try again</button>
      </p>
      <template v-if="r">
        <header>
          <div>
            <h1>
              {{ title }} <span class="second">on {{ r.model }}</span>
            </h1>
            <p class="second">
              {{ r.version }} · {{ fitWord[r.fit] }}: {{ r.fitWhy }}. Rehearsed: nothing was changed.
            </p>
          </div>
          <p class="tally" data-testid="counts">
            <span
              ><b>{{ r.count.goes }}</b> would go</span
            >
            <span v-if="r.count.quietens"
              ><b>{{ r.count.quietens }}</b> would stay, made quiet</span
            >
            <span v-if="r.count.already"
              ><b>{{ r.count.already }}</b> gone already</span
            >
            <span v-if="r.count.absent"
              ><b>{{ r.count.absent }}</b> not on it</span
            >
            <span v-if="r.count.refuses" class="ochre"
              ><b>{{ r.count.refuses }}</b> it will refuse</span
            >
            <span v-if="r.count.leftOut"
              ><b>{{ r.count.leftOut }}</b> left out</span
            >
          </p>
        </header>
        <div v-if="r.stops.length" class="notice" role="status">
          <p><b>It can not be run as it is.</b></p>
          <p v-for="s in r.stops" :key="s.words">{{ s.words }}</p>
        </div>
        <label v-if="notMade" class="line"
          ><input type="checkbox" :checked="choices.anyway" @change="set({ anyway: !choices.anyway })" /> Run it on this
          firmware all the same; what comes of it is evidence for this firmware</label
        >
        <OwnerQuestions v-if="r.questions.length" :questions="r.questions" @keep="(keep: string[]) => set({ keep })" />
        <BackupPanel
          v-if="place?.phone"
          :bench="text('bench')"
          :phone="place.phone"
          :packages="goes"
          :owners="choices.ownersData"
          @owners="(ownersData) => set({ ownersData })"
        />
        <GivenPanel
          :bench="text('bench')"
          :rows="r.rows"
          :has="place?.bench.view.given ?? []"
          :given="choices.given ?? []"
          @given="(given) => set({ given })"
        />
        <RootPanel
          v-if="r.rows.some((x) => x.method === 'remove-from-image')"
          :bench="text('bench')"
          :phone="text('phone')"
          :of="of"
          :rehearsal="r"
          @asked="(job: string) => (root = job)"
          @user="(user: string[]) => set({ user })"
        />
        <RehearsalRows :rows="r.rows" :choices="choices" @set="set" />
        <p class="line">
          <label
            ><input type="checkbox" :checked="choices.measure" @change="toggleMeasure" /> Measure what it brings:
            memory, start and wake-ups before and after, each after a restart of its own</label
          >
        </p>
        <p class="line">
          <span v-if="needsRestart || choices.measure" class="second"
            >It restarts at the end{{ needsRestart ? ': with that goes what leaves the image' : '' }}.</span
          >
          <label v-else
            ><input type="checkbox" :checked="!choices.noRestart" @change="set({ noRestart: !choices.noRestart })" />
            Restart it at the end, and look what comes back</label
          >
        </p>
      </template>
      <p v-else-if="rehearsal.isPending.value" class="line second" role="status">Working out what would happen.</p>
    </section>
  </BenchFrame>
  <Teleport v-if="r" defer to="#margin">
    <h1>If it runs</h1>
    <p class="second">on this phone, as it is now</p>
    <h2>Jobs</h2>
    <dl>
      <template v-for="j in r.jobs.filter((x) => x.class === 'vital' || x.state !== 'kept')" :key="j.role">
        <dt>{{ j.role ? roleName(j.role) : 'who does what' }}</dt>
        <dd :class="{ ochre: j.state !== 'kept' }">
          {{
            j.state === 'kept'
              ? 'as before'
              : j.state === 'put-in'
                ? 'put in'
                : j.state === 'emptied'
                  ? 'nobody'
                  : 'not told'
          }}
        </dd>
      </template>
      <dt>lock code</dt>
      <dd>{{ r.lockCode === 'set' ? 'set' : r.lockCode === 'not-set' ? 'not set' : 'not told' }}</dd>
      <template v-if="r.administrators.length">
        <dt>administrators</dt>
        <dd class="ochre">{{ r.administrators.length }}</dd>
      </template>
    </dl>
    <template v-if="r.owners.length">
      <h2>Of the owner's own apps</h2>
      <p v-for="o in r.owners" :key="o.package" :class="{ ochre: o.strength === 'hard' }">
        <template v-if="o.label">{{ o.label }}</template><PackageName v-else :name="o.package" /> rests on
        {{ count(o.on.length, 'package') }} that {{ o.on.length === 1 ? 'goes' : 'go' }}: {{ o.why }}
      </p>
    </template>
    <ConsequenceList :consequences="r.consequences" />
    <h2>Afterwards, by hand</h2>
    <p v-for="c in r.checks" :key="c" class="second">☐ {{ c }}</p>
  </Teleport>
  <Teleport v-if="r" defer to="#foot">
    <FootBar name="Rehearsal">
      <template v-if="wrong">
        <span role="alert">{{ wrong }}</span>
        <button class="go" :disabled="busy" @click="start">Try again</button>
        <button class="go plain" @click="((sure = false), dismiss())">Not now</button>
      </template>
      <template v-else-if="sure">
        <span
          >{{ count(goes.length, 'package') }} of {{ r.model }} {{ goes.length === 1 ? 'goes' : 'go' }}, each written
          down before it is sent.</span
        >
        <button class="go" :disabled="busy" @click="start">Run it now</button>
        <button class="go plain" @click="sure = false">Not yet</button>
      </template>
      <template v-else>
        <span>nothing is changed yet</span>
        <span class="dim">leave out, ask the owner, save the package files; then run it</span>
        <button class="go" :disabled="!!r.stops.length || busy || rehearsal.isFetching.value" @click="sure = true">
          Run it
        </button>
      </template>
    </FootBar>
  </Teleport>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 20px;
  padding: 12px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
h1 .second {
  font-weight: 400;
}
.tally .ochre b {
  color: inherit;
}
.line {
  display: block;
  padding: 8px 18px;
}
.notice b {
  font-weight: 650;
}
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  row-gap: 3px;
}
dt {
  color: var(--second);
}
dt::first-letter {
  text-transform: uppercase;
}
dd:not(.ochre) {
  font-weight: 600;
}
</style>
