<script setup lang="ts">
// What a capture came to: what was recognised, and what was not understood.
import { computed } from 'vue'
import { count } from '@/evidence/words'
import PackageName from '@/marks/PackageName.vue'
import type { Stored } from './capture'

const props = defineProps<{ capture: Stored; summary: unknown }>()
const was = computed(
  () =>
    props.summary as {
      newMaker?: boolean
      newModel?: boolean
      newBuild?: boolean
      newPackages?: string[]
      known?: boolean
    } | null,
)
const scope = computed(() => ({ maker: props.capture.maker, model: props.capture.model, build: props.capture.buildId }))
const notes = computed(() => props.capture.reports.flatMap((r) => r.notes ?? []))
const omitted = computed(() => props.capture.reports.reduce((n, r) => n + (r.omitted ?? 0), 0))
const build = computed(() => `${props.capture.carrier ? props.capture.carrier + ' ' : ''}${props.capture.version}`)
</script>

<template>
  <div class="stored" data-testid="stored">
    <p class="sum">
      <b>{{ capture.makerName }} {{ capture.modelName }}</b> on <b>{{ build }}</b>, Android {{ capture.release }}:
      {{ count(capture.packages, 'package') }}.
    </p>
    <p v-if="was?.known" class="second">
      Exactly this capture was stored before: nothing has changed on the phone since.
    </p>
    <p v-if="!capture.complete" class="ochre">Incomplete: {{ capture.missing }}.</p>
    <dl>
      <dt>Recognised</dt>
      <dd>
        <p>
          {{ was?.newMaker ? 'a maker that is new here' : 'a known maker' }},
          {{ was?.newModel ? 'a model that is new here' : 'a known model' }},
          {{ was?.newBuild ? 'a firmware that nobody had captured' : 'a known firmware' }}
        </p>
      </dd>
      <dt>New packages</dt>
      <dd>
        <template v-if="was?.newPackages?.length"
          ><p v-for="name in was.newPackages.slice(0, 12)" :key="name"><PackageName :name="name" /></p>
          <p v-if="was.newPackages.length > 12" class="second">and {{ was.newPackages.length - 12 }} more</p></template
        >
        <p v-else class="second">none; all were seen before</p>
      </dd>
      <dt>Not graded</dt>
      <dd>
        <router-link :to="{ path: '/ledger', query: scope }"
          >{{ count(capture.ungraded, 'package') }} of this firmware</router-link
        >
      </dd>
      <dt>Gone for its user</dt>
      <dd>
        <p v-for="name in capture.gone.slice(0, 12)" :key="name"><PackageName :name="name" /></p>
        <p v-if="capture.gone.length > 12" class="second">and {{ capture.gone.length - 12 }} more</p>
        <p v-if="!capture.gone.length" class="second">nothing was taken off</p>
      </dd>
      <dt>Read</dt>
      <dd>
        <table>
          <tbody>
            <tr v-for="r in capture.reports" :key="r.section">
              <td class="mono">{{ r.section }}</td>
              <td>{{ count(r.lines, 'line') }}</td>
              <td>{{ (r.bytes / 1e6).toFixed(1) }} MB</td>
              <td :class="{ ochre: !r.complete }">{{ r.complete ? 'whole' : r.missing }}</td>
            </tr>
          </tbody>
        </table>
      </dd>
      <dt>Not understood</dt>
      <dd>
        <p v-if="!notes.length" class="second">every line was understood</p>
        <table v-else>
          <tbody>
            <tr v-for="(n, i) in notes.slice(0, 60)" :key="i">
              <td class="second">{{ n.section }}, line {{ n.line }}</td>
              <td>{{ n.why }}</td>
              <td class="mono" dir="ltr">{{ n.text }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="notes.length > 60 || omitted" class="second">
          and {{ Math.max(0, notes.length - 60) + omitted }} more
        </p>
      </dd>
    </dl>
    <router-link class="act first" :to="{ path: '/ledger', query: scope }">See it in the Ledger</router-link>
  </div>
</template>

<style scoped>
.stored {
  padding: 14px 18px 28px;
}
.sum {
  font-size: 15px;
}
dl {
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr);
  gap: 8px 12px;
  margin: 14px 0 18px;
}
dt {
  color: var(--second);
}
td {
  padding: 0 16px 1px 0;
  vertical-align: top;
}
.act {
  text-decoration: none;
}
</style>
