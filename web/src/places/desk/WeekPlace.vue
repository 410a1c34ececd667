<script setup lang="ts">
// What happened in a week, on one page that prints.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { count } from '@/format/numbers'
import { loadWord, outcomeWord, stateWord } from '@/format/vocabulary'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useDesk } from './desk'
import { day } from '@/format/dates'

const route = useRoute()
const router = useRouter()
const ending = computed(() => (typeof route.query.ending === 'string' ? route.query.ending : ''))
const week = useQuery({
  queryKey: computed(() => ['week', ending.value]),
  queryFn: () => ask(api.GET('/api/v1/week', { params: { query: { ending: ending.value || undefined } } })),
})
const w = computed(() => week.data.value)
const { lines } = useDesk()
const dated = (t: string, off = 0) => day(new Date(new Date(t).getTime() + off).toISOString())
const iso = (t: Date) => t.toISOString().slice(0, 10)
function step(weeks: number) {
  const day = ending.value ? new Date(`${ending.value}T12:00Z`) : new Date()
  day.setUTCDate(day.getUTCDate() + 7 * weeks)
  void router.replace({ query: { ...route.query, ending: day >= new Date() ? undefined : iso(day) } })
}
const listed = (counts: Record<string, number>, word: Record<string, string>) =>
  Object.entries(counts)
    .map(([k, n]) => `${n} ${word[k] ?? k}`)
    .join(', ')
const total = (counts: Record<string, number>) => Object.values(counts).reduce((a, b) => a + b, 0)
const after = (text: string) => (text ? `: ${text}` : '')
const runWord = { finished: 'finished', 'put-back': 'put back' }
const print = () => window.print()
</script>

<template>
  <section class="paper week" tabindex="0" role="region" aria-label="A week">
    <header v-if="w">
      <div>
        <h1>The week to {{ dated(w.to, -1) }}</h1>
        <p class="second">from {{ dated(w.from) }}</p>
      </div>
      <span class="acts">
        <button class="act quiet" @click="step(-1)">The week before</button>
        <button class="act quiet" :disabled="!ending" @click="step(1)">The next</button>
        <button class="act" @click="print">Print</button>
      </span>
    </header>
    <p v-if="week.isError.value" class="harm" role="alert">{{ words(week.error.value) }}</p>
    <template v-if="w">
      <dl class="figures">
        <dt>Captures</dt>
        <dd>
          <b>{{ w.captures }}</b> from {{ count(w.phones, 'phone') }}; {{ count(w.packages, 'package') }} never seen
          before
        </dd>
        <dt>Trials accepted</dt>
        <dd>
          <b>{{ total(w.trials) }}</b>{{ after(listed(w.trials, outcomeWord)) }}
        </dd>
        <dt>Edits decided</dt>
        <dd>
          <b>{{ total(w.edits) }}</b>{{ after(listed(w.edits, stateWord)) }}; {{ count(w.sent, 'change') }} sent,
          {{ w.waiting }} waiting now
        </dd>
        <dt>Runs ended</dt>
        <dd>
          <b>{{ total(w.runs) }}</b>{{ after(listed(w.runs, runWord)) }}; something broken after {{ w.broken }}
        </dd>
      </dl>
      <section>
        <h2>Firmware that arrived</h2>
        <ul>
          <li v-for="a in w.arrived" :key="a.buildId">
            <router-link
              class="link"
              :to="
                a.sinceId
                  ? {
                      path: '/builds/compare',
                      query: { maker: a.maker, model: a.model, from: `build:${a.sinceId}`, to: `build:${a.buildId}` },
                    }
                  : { path: '/builds', query: { maker: a.maker, model: a.model } }
              "
              >{{ a.modelName }} {{ [a.carrier, a.region, a.version].filter(Boolean).join(' ') }}</router-link
            >: {{ a.words }}.
          </li>
        </ul>
        <p v-if="!w.arrived.length" class="second">None.</p>
      </section>
      <section>
        <h2>Releases</h2>
        <ul>
          <li v-for="r in w.released" :key="r.id + r.what + r.words">
            <a class="link" :href="`/r/${r.maker}/${r.model}/${r.slug}/${r.number}`"
              >{{ r.modelName }}: {{ r.edition }}, no. {{ r.number }}</a
            >{{ ' ' }}
            <span :class="{ harm: r.what !== 'published' }">{{
              r.what === 'published' ? 'is out' : r.what === 'withdrawn' ? 'was withdrawn' : 'was marked'
            }}</span><template v-if="r.words">: {{ r.words }}</template>
          </li>
        </ul>
        <p v-if="!w.released.length" class="second">Nothing was published, withdrawn or marked.</p>
      </section>
      <section>
        <h2>Loads that were set</h2>
        <table v-if="w.loads.length" class="listed">
          <tbody>
            <tr v-for="l in w.loads" :key="l.package + l.at">
              <td><PackageName :name="l.package" /> {{ l.label }}</td>
              <td class="mark"><LoadMark v-if="l.before" :load="l.before" silent /> {{ loadWord[l.before] ?? '—' }}</td>
              <td class="mark"><LoadMark v-if="l.after" :load="l.after" silent /> {{ loadWord[l.after] ?? '—' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-else class="second">None.</p>
      </section>
      <section>
        <h2>Who did what</h2>
        <table v-if="w.people.length" class="listed">
          <thead>
            <tr>
              <th>Person</th>
              <th class="n">captured</th>
              <th class="n">trials accepted</th>
              <th class="n">edits decided</th>
              <th class="n">runs</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="p in w.people" :key="p.name">
              <td>{{ p.name }}</td>
              <td class="n">{{ p.captures || '' }}</td>
              <td class="n">{{ p.trials || '' }}</td>
              <td class="n">{{ p.decided || '' }}</td>
              <td class="n">{{ p.runs || '' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-else class="second">Nobody did anything.</p>
      </section>
      <section v-if="!ending">
        <h2>What waits for you now</h2>
        <ol class="waits">
          <li v-for="l in lines.filter((x) => x.kind !== 'told').slice(0, 12)" :key="l.key">{{ l.text }}</li>
        </ol>
        <p v-if="!lines.length" class="second">Nothing.</p>
      </section>
    </template>
  </section>
  <Teleport defer to="#margin">
    <h1>A week</h1>
    <p class="second">All that was decided, captured, run and published in seven days, by anybody.</p>
    <h2>To hand round</h2>
    <p>It prints on paper as it stands here, without what is around it.</p>
    <h2>What is on it</h2>
    <p>Trials and edits count on the day when they were decided; a capture when the phone was captured.</p>
  </Teleport>
</template>

<style scoped>
.week {
  max-width: 900px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  flex-wrap: wrap;
  gap: 8px 20px;
  padding-bottom: 10px;
  border-bottom: 1px solid var(--ink);
}
.acts {
  display: flex;
  gap: 8px;
}
.figures {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 3px 16px;
  margin-top: 12px;
}
.figures dt {
  color: var(--second);
}
.week > section {
  margin-top: 20px;
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
li {
  padding: 3px 0;
}
.waits {
  list-style: decimal;
  padding-left: 20px;
}
.mark svg {
  display: inline-block;
  vertical-align: -2px;
  margin-right: 4px;
}
@media print {
  .acts {
    display: none;
  }
}
</style>
