<script setup lang="ts">
// All that differs in the package under the cursor.
import { ceiling, share } from '@/format/numbers'
import { loadWord, methodWord } from '@/format/vocabulary'
import HarmInterval from '@/marks/HarmInterval.vue'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import KeyCap from '@/ui/KeyCap.vue'
import type { Compared, ComparedPackage } from './builds'
import { sideName } from './comparing'

defineProps<{ row?: ComparedPackage; compared: Compared }>()
const parts = (s: string) => (s ? s.split(', ') : [])
const list = (what: string) => /permissions|libraries/.test(what)
</script>

<template>
  <template v-if="row">
    <h1 dir="auto">{{ row.label || row.name.split('.').at(-1) }}</h1>
    <p><PackageName :name="row.name" /></p>
    <template v-if="row.was">
      <h2>It was</h2>
      <p><PackageName :name="row.was" />, as far as one can tell: {{ share(row.sure ?? 0) }} sure</p>
      <p v-for="w in row.why" :key="w" class="second">{{ w }}</p>
    </template>
    <template
      v-for="s in [
        { j: row.then, name: sideName(compared.from) },
        { j: row.now, name: sideName(compared.to) },
      ]"
      :key="s.name"
    >
      <template v-if="s.j">
        <h2>On {{ s.name }}</h2>
        <p class="load">
          <LoadMark :load="s.j.load || s.j.suggested" silent />
          {{ loadWord[s.j.load || s.j.suggested] }}
          <span class="second">{{ s.j.load ? 'set' : 'by suggestion' }}</span>
        </p>
        <HarmInterval v-if="s.j.phones" :floor="s.j.floor" :ceiling="s.j.ceiling" :width="220" />
        <p class="second">
          {{
            s.j.phones ? `at most ${ceiling(s.j.ceiling)} harmed, ${methodWord['remove-for-user']}` : 'nobody tried it'
          }}
        </p>
      </template>
    </template>
    <template v-for="d in row.what" :key="d.what">
      <h2>{{ d.what }}</h2>
      <template v-if="list(d.what)">
        <p v-for="x in parts(d.before)" :key="x" class="mono lost">− {{ x }}</p>
        <p v-for="x in parts(d.after)" :key="x" class="mono">+ {{ x }}</p>
      </template>
      <p v-else class="diff">
        <bdi class="second">{{ d.before || '—' }}</bdi> → <bdi>{{ d.after || '—' }}</bdi>
      </p>
    </template>
    <template v-if="row.gained.length || row.lost.length">
      <h2>What rests on what</h2>
      <p v-for="l in row.gained" :key="`+${l.from}${l.on}${l.kind}`" :title="l.lines.join('\n')">
        + <PackageName :name="l.from" /> <span class="second">rests on</span> <PackageName :name="l.on" />
        <span class="second">{{ l.kind }} {{ l.by.join(', ') }}</span>
      </p>
      <p v-for="l in row.lost" :key="`-${l.from}${l.on}${l.kind}`" class="second" :title="l.lines.join('\n')">
        − <PackageName :name="l.from" /> no longer rests on <PackageName :name="l.on" />
      </p>
    </template>
  </template>
  <template v-else>
    <h1>Comparison</h1>
    <p class="second">Nothing under the cursor.</p>
  </template>
  <div class="keys">
    <span><KeyCap of="j" /> <KeyCap of="k" /> move</span><span><KeyCap of="l" /> next lane</span
    ><span><KeyCap of="Enter" /> dossier</span>
  </div>
</template>

<style scoped>
.load {
  display: flex;
  gap: 8px;
  align-items: center;
}
.diff,
.mono {
  overflow-wrap: anywhere;
}
.lost {
  color: var(--second);
}
</style>
