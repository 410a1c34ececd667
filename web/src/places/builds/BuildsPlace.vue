<script setup lang="ts">
// Firmware over time: a model's builds on lanes, two of them picked to be
// compared, and how releases stand on each. Without a model in scope: what is
// known of all of them.
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { words } from '@/api/client'
import { day } from '@/format/dates'
import { count, people } from '@/format/numbers'
import FollowButton from '@/shell/FollowButton.vue'
import { useKeys } from '@/composables/keys'
import { useScope } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import { addressOf, editionName, nameOf, useTimeline } from './builds'
import { usualPair } from './lanes'
import CoverageSheet from './CoverageSheet.vue'
import HoldTable from './HoldTable.vue'
import TimeLine from './TimeLine.vue'

const router = useRouter()
const { scope, query } = useScope()
const line = useTimeline(
  () => scope.value.maker,
  () => scope.value.model,
)
const t = computed(() => line.data.value)
const builds = computed(() => t.value?.builds ?? [])
const byId = (id?: string) => builds.value.find((b) => b.id === id)

// The pair that is compared: what was picked last against what was picked
// before, the older on the left. At first the build in scope, or the newest,
// against the one before it.
const pair = ref<[string?, string?]>([])
watch(
  [builds, () => scope.value.build],
  () => {
    pair.value = usualPair(builds.value, scope.value.build)
  },
  { immediate: true },
)
function pick(id: string) {
  const [, last] = pair.value
  if (id === last) return
  const older = (a?: string, b?: string) => (byId(a)?.securityPatch ?? '') <= (byId(b)?.securityPatch ?? '')
  pair.value = older(last, id) ? [last, id] : [id, last]
}
const from = computed(() => byId(pair.value[0]))
const to = computed(() => byId(pair.value[1]))
const ready = computed(() => !!from.value?.packages && !!to.value?.packages)
const comparing = computed(() => addressOf(`build:${from.value?.id}`, `build:${to.value?.id}`, query.value))
const carrying = computed(() => ({
  path: '/builds/carried',
  query: { ...query.value, build: to.value?.id, since: from.value?.id },
}))
const arrival = computed(() =>
  to.value?.arrival && to.value.arrival.sinceId === from.value?.id ? to.value.arrival : undefined,
)
// The newest gaps first: most phones are on those.
const allGaps = ref(false)
const gaps = computed(() => {
  const list = [...(t.value?.gaps ?? [])].sort((a, b) => b.to.localeCompare(a.to))
  return allGaps.value ? list : list.slice(0, 8)
})

function walk(by: number) {
  const list = [...builds.value]
    .filter((b) => b.packages)
    .sort((a, b) => a.securityPatch.localeCompare(b.securityPatch))
  const at = list.findIndex((b) => b.id === to.value?.id)
  const next = list[Math.max(0, Math.min(at + by, list.length - 1))]
  if (next) pair.value = [next.arrival?.sinceId ?? pair.value[0], next.id]
}
useKeys([
  { keys: ['j', 'ArrowRight'], does: 'the next firmware, against the one before it', run: () => walk(1) },
  { keys: ['k', 'ArrowLeft'], does: 'the firmware before', run: () => walk(-1) },
  { keys: ['Enter'], does: 'compare the two', run: () => ready.value && router.push(comparing.value) },
  { keys: ['c'], does: 'what is worse known on the newer one', run: () => ready.value && router.push(carrying.value) },
])
</script>

<template>
  <CoverageSheet v-if="!scope.model" />
  <section v-else class="place" aria-label="Builds" tabindex="0" role="region">
    <div v-if="line.isError.value" class="notice bad" role="alert">{{ words(line.error.value) }}</div>
    <template v-else-if="t && builds.length">
      <TimeLine :builds="builds" :gaps="t.gaps" :from="from?.id" :to="to?.id" :at="scope.build" @pick="pick" />
      <div v-if="from && to" class="pair">
        <p>
          <b>{{ nameOf(from) }}</b> <span class="second patch">{{ from.securityPatch }}</span> → <b>{{ nameOf(to) }}</b>
          <span class="second patch">{{ to.securityPatch }}</span>
          <span v-if="arrival" class="words">{{ arrival.words }}</span>
        </p>
        <span class="acts">
          <router-link class="act first" :class="{ off: !ready }" :to="comparing"
            >Compare <KeyCap of="Enter"
          /></router-link>
          <router-link class="act" :to="carrying">What is worse known <KeyCap of="c" /></router-link>
        </span>
      </div>
      <p v-else class="second pair">Only one firmware is known: there is nothing to compare it with yet.</p>
      <section v-if="t.releases.length" aria-label="Releases on each firmware">
        <h2>Does what was published still hold?</h2>
        <HoldTable :builds="builds" :releases="t.releases" :query="query" />
      </section>
      <p v-else class="second pair">Nothing is published for this model.</p>
      <section v-if="t.gaps.length" class="gaps" aria-label="What is missing">
        <h2>Somebody should capture</h2>
        <p v-for="g in gaps" :key="g.edition + g.version + g.from">
          <b>{{ editionName(g.edition) }} {{ g.version || `between ${g.from} and ${g.to}` }}</b>
          <span class="second">{{ g.why }}</span>
        </p>
        <button v-if="t.gaps.length > gaps.length" class="link second" @click="allGaps = true">
          {{ t.gaps.length - gaps.length }} older
        </button>
      </section>
    </template>
    <div v-else-if="t" class="empty">
      <h1>No firmware of this model is known</h1>
      <p class="second">Capture a phone of it on the Bench, or send in what one printed.</p>
      <router-link class="act" :to="{ path: '/bench', query }">Go to the Bench</router-link>
    </div>
  </section>
  <Teleport v-if="scope.model" defer to="#margin">
    <h1>{{ to ? nameOf(to) : 'Builds' }}</h1>
    <template v-if="to && t">
      <p class="second">
        Android {{ to.release }}, security update of {{ to.securityPatch || 'a day it does not tell' }}
      </p>
      <FollowButton :id="t.model" kind="model" :name="to.modelName" />
      <h2>What it ships</h2>
      <p>{{ count(to.packages, 'package') }}: {{ to.graded }} graded, {{ to.tried }} taken off a phone of it.</p>
      <p v-if="to.wanted" class="ochre">{{ to.wanted }} that releases take off were never tried on it.</p>
      <h2>Who captured it</h2>
      <p>
        {{ count(to.phones, 'phone') }}, {{ people(to.people)
        }}<template v-if="to.capturedAt">; last {{ day(to.capturedAt) }}</template
        >.
      </p>
      <template v-if="to.arrival?.words">
        <h2>When it arrived</h2>
        <p>{{ to.arrival.words }}.</p>
      </template>
    </template>
    <h2>A column</h2>
    <p class="second">
      It is as full as its packages were taken off phones of that very firmware. The blue line is how many are graded; a
      broken outline is what nobody captured.
    </p>
    <div class="keys">
      <span><KeyCap of="j" /> <KeyCap of="k" /> walk</span><span><KeyCap of="Enter" /> compare</span
      ><span><KeyCap of="c" /> carried</span>
    </div>
  </Teleport>
</template>

<style scoped>
.place {
  overflow: auto;
  flex: 1;
}
.pair {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 8px 20px;
  padding: 10px 18px;
}
.words {
  display: block;
}
.patch {
  margin-left: 5px;
}
.acts {
  display: flex;
  gap: 8px;
}
.off {
  pointer-events: none;
  opacity: 0.5;
}
.place h2 {
  font-size: 15px;
  padding: 8px 18px 0;
  border-top: 1px solid var(--hair);
}
.gaps p {
  padding: 2px 18px;
}
.gaps .second {
  margin-left: 8px;
}
.gaps {
  padding-bottom: 16px;
}
</style>
