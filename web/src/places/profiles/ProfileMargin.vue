<script setup lang="ts">
// What the owner will notice, what keeps the phone whole, and how much is
// known of it on which firmware.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { ceiling, count, onlyIf, people, sentence } from '@/format/numbers'
import { loadWord, methodWord, roleName, slugWords } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { buildName } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import { proofWord, type Composition, type Row, type Rules } from './profile'

const props = defineProps<{
  profile: Schemas['Composed']
  composition: Composition
  rules: Rules
  row?: Row
  editable: boolean
}>()
const emit = defineEmits<{ rules: [part: Partial<Rules>]; take: [row: Row] }>()
const dropped = computed(() => props.composition.rows.filter((r) => r.dropped))
const stops = computed(() => props.composition.stops)
const jobState: Record<string, string> = {
  kept: 'kept',
  'put-in': 'put in first',
  emptied: 'nobody',
  unknown: 'not told',
}
// The jobs that everybody thinks of, and whatever is not as it was.
const usual = ['HOME', 'KEYBOARD', 'DIALER', 'SMS', 'WEB_VIEW']
const jobs = computed(() => props.composition.jobs.filter((j) => j.state !== 'kept' || usual.includes(j.role)))
const otherJobs = computed(() => props.composition.jobs.length - jobs.value.length)
const putIn = computed(() => props.composition.steps.find((s) => s.kind === 'put-in' && s.role)?.number)
const row = (name: string) => props.composition.rows.find((r) => r.package === name)
function claim(fingerprint: string) {
  const not = props.rules.notFor ?? []
  emit('rules', { notFor: not.includes(fingerprint) ? not.filter((f) => f !== fingerprint) : [...not, fingerprint] })
}
const modelOf = (slug: string) => props.profile.sisters.find((s) => s.slug === slug)?.name
</script>

<template>
  <h1>What the owner will notice</h1>
  <p v-if="composition.lost.length" class="lost">
    <template v-for="(l, i) in composition.lost" :key="l.function"
      >{{ i ? ', ' : '' }}<span :title="l.packages.join(', ')">{{ slugWords(l.function) }}</span></template
    >
    will be gone.
  </p>
  <p v-else class="second">Nothing, as far as trials tell.</p>
  <p class="second">{{ count(composition.startsAtBoot, 'package') }} fewer start by themselves.</p>
  <template v-if="stops.length">
    <h2 class="ochre">It cannot be published</h2>
    <p v-for="s in stops.slice(0, 6)" :key="s" class="break">{{ s }}.</p>
  </template>
  <template v-if="props.row">
    <h2>Under the cursor</h2>
    <p>
      <b>{{ props.row.label }}</b> <PackageName :name="props.row.package" />
    </p>
    <div class="mark">
      <LoadMark :load="props.row.load" :size="26" /><span
        >{{ loadWord[props.row.load] }}{{ props.row.bySuggestion ? ', by suggestion' : '' }}</span
      >
    </div>
    <p v-if="props.row.phones" class="second">
      at most {{ ceiling(props.row.ceiling) }} harmed, from {{ count(props.row.phones, 'phone') }} and
      {{ people(props.row.people) }}
    </p>
    <p class="break">{{ props.row.goes ? 'Goes' : 'Stays' }}: {{ sentence(props.row.why) }}</p>
    <p v-if="props.row.goes && props.row.gentler" class="second break">
      {{ sentence(`${methodWord[props.row.method]}: ${props.row.gentler}`) }}
    </p>
    <p v-for="c in props.row.conditions ?? []" :key="c" class="ochre">{{ onlyIf(c) }}</p>
  </template>
  <h2>Jobs on the phone</h2>
  <dl class="pairs">
    <template v-for="j in jobs" :key="j.role">
      <dt :title="j.by.join(', ')">{{ j.role ? roleName(j.role) : 'who holds which' }}</dt>
      <dd :class="{ ochre: j.state !== 'kept' }">
        {{ j.state === 'put-in' && putIn ? `after step ${putIn}` : jobState[j.state] }}
      </dd>
    </template>
  </dl>
  <p v-if="otherJobs" class="second">and {{ otherJobs }} more, all kept</p>
  <template v-if="dropped.length">
    <h2>Kept against the cut</h2>
    <p v-for="r in dropped.slice(0, 8)" :key="r.package" class="break">
      <PackageName :name="r.package" /> <span class="second">{{ r.why }}</span>
    </p>
    <p v-if="dropped.length > 8" class="second">and {{ dropped.length - 8 }} more, marked in the list</p>
  </template>
  <template v-if="composition.offers.length">
    <h2>Left with no purpose</h2>
    <p v-for="o in composition.offers.slice(0, 6)" :key="o.package" class="break">
      <PackageName :name="o.package" /> <span class="second">{{ o.why }}; {{ loadWord[o.load] }}.</span>
      <button
        v-if="editable && row(o.package)"
        class="link"
        :aria-label="`Take ${o.package}, too`"
        @click="emit('take', row(o.package)!)"
      >
        take it, too
      </button>
    </p>
  </template>
  <h2>Firmware it is for</h2>
  <dl class="pairs builds">
    <template v-for="b in composition.builds" :key="b.fingerprint">
      <dt :class="{ not: !b.claimed }">
        <label
          ><input type="checkbox" :checked="b.claimed" :disabled="!editable" @change="claim(b.fingerprint)" />
          {{ modelOf(b.model) ? `${modelOf(b.model)} ` : '' }}{{ buildName({ ...b, carrier: b.carrier ?? '' }) }}</label
        >
      </dt>
      <dd
        :class="{ ochre: b.claimed && b.proof === 'not-known' }"
        :title="`${b.tried} of the ${b.ships} that go were taken off phones of this build, ${b.near} off phones of the model${b.rolesUnknown ? '; no capture told who holds which job' : ''}`"
      >
        {{ b.claimed ? proofWord[b.proof ?? 'not-known'] : 'not for it' }}
        <span class="second">{{ b.tried }}/{{ b.ships }}</span>
      </dd>
    </template>
  </dl>
  <h2>Releases</h2>
  <ul v-if="profile.releases.length">
    <li v-for="r in profile.releases.slice(0, 8)" :key="r.id">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank">no. {{ r.number }}</a>
      <span class="second said" :title="exactTime(r.publishedAt)">
        <span :class="{ harm: r.state === 'withdrawn' }">{{ r.state }}</span>, {{ count(r.steps, 'package') }},
        {{ ago(r.publishedAt) }}</span
      >
    </li>
  </ul>
  <p v-else class="second">None yet.</p>
  <div class="keys">
    <span><KeyCap of="⇧↑" /> <KeyCap of="⇧↓" /> cut line</span><span><KeyCap of="p" /> pin</span
    ><span><KeyCap of="Enter" /> dossier</span>
  </div>
</template>

<style scoped>
.lost::first-letter {
  text-transform: uppercase;
}
.said {
  margin-left: 8px;
}
.mark {
  display: flex;
  gap: 10px;
  align-items: end;
  margin: 6px 0;
}
.break {
  overflow-wrap: anywhere;
}
.pairs {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 1px 8px;
}
.pairs dt {
  color: var(--second);
}
.builds label {
  display: flex;
  gap: 6px;
}
.not {
  text-decoration: line-through;
}
</style>
