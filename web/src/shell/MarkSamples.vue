<script setup lang="ts">
// What the marks mean, each beside a real one.
import { loads, loadWord } from '@/format/vocabulary'
import HarmInterval from '@/marks/HarmInterval.vue'
import LoadMark from '@/marks/LoadMark.vue'
import PresenceStrip from '@/marks/PresenceStrip.vue'
import TrialStrip from '@/marks/TrialStrip.vue'

const rests: Record<string, string> = {
  loose: 'only it goes',
  'leaned-on': 'a function that some people want goes with it',
  'tied-in': 'other packages or settings rest on it',
  'load-bearing': 'starting, unlocking, calling or recovering the phone rests on it',
  unproven: 'not enough is known',
}
const ticks = [
  { strip: 'ccc', words: 'three trials, all clean; the nearest firmware stands first' },
  { strip: 'c/c', words: 'a gap: what follows is of firmware farther off' },
  { strip: 'l', words: 'a function was lost' },
  { strip: 'f', words: 'something else went wrong' },
  { strip: 'n', words: 'the phone did not start' },
  { strip: 'r', words: 'the phone refused' },
  { strip: 'C', words: 'clean, and it came back by itself' },
]
</script>

<template>
  <section aria-label="Marks">
    <h2>Marks</h2>
    <table>
      <tbody>
        <tr v-for="l in loads" :key="l">
          <td><LoadMark :load="l" silent /></td>
          <td>
            <b>{{ loadWord[l] }}</b>: {{ rests[l] }}
          </td>
        </tr>
        <tr v-for="t in ticks" :key="t.strip">
          <td><TrialStrip :strip="t.strip" /></td>
          <td>{{ t.words }}</td>
        </tr>
        <tr>
          <td><PresenceStrip cells="FHEN" :cell="11" /></td>
          <td>a cell for each build: ships it, ships it switched off, does not, no capture</td>
        </tr>
        <tr>
          <td><HarmInterval :floor="0.05" :ceiling="0.3" :width="64" /></td>
          <td>the share of phones harmed: at least 5 %, at most 30 %</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
h2 {
  margin: 14px 0 4px;
}
td {
  padding: 3px 12px 3px 0;
  vertical-align: middle;
}
td:first-child {
  width: 78px;
}
</style>
