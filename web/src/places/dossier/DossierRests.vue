<script setup lang="ts">
// What rests on the package and what it rests on, from the phone's own words.
import { computed, ref } from 'vue'
import type { Subject } from '@/editing/dialogs'
import LinksDialog from '@/editing/LinksDialog.vue'
import { count } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import { buildName } from '@/composables/scope'
import type { Dossier } from './dossier'
import { kindWord } from './drawing'
import type { Around } from './impact'
import RestsDrawing from './RestsDrawing.vue'

const props = defineProps<{ d: Dossier; around?: Around; subject: Subject }>()
const stating = ref(false)
const lines = ref(false)
const drawing = ref<InstanceType<typeof RestsDrawing>>()
const links = computed(() => [...(props.around?.on ?? []), ...(props.around?.from ?? [])])
const roles = computed(() =>
  (props.around?.roles ?? []).map((r) => {
    const others = r.able.length - 1
    return `${roleName(r.name)}${r.holds ? '' : ' (could)'}, ${others ? `with ${count(others, 'other')}` : 'alone'}`
  }),
)
const told = (l: { from: string; on: string }) => (l.from === props.subject.name ? l.on : l.from)
defineExpose({ focus: () => drawing.value?.focus() })
</script>

<template>
  <section class="rests" aria-label="What rests on it">
    <h2>
      What rests on it
      <span v-if="around?.build" class="second">read from {{ buildName(around.build) }}</span>
    </h2>
    <p v-if="around && !around.build" class="faint">No capture in scope has it: attach such a phone at the Bench.</p>
    <template v-else-if="around">
      <RestsDrawing ref="drawing" :around="around" :name="subject.name" :label="subject.label" />
      <p v-if="roles.length" class="roles"><span class="second">Jobs on the phone:</span> {{ roles.join('; ') }}</p>
      <p v-if="around.rolesUnknown" class="ochre">
        The capture does not say who holds which job: what a removal would leave undone is not known.
      </p>
      <p v-for="n in around.news.slice(0, 3)" :key="n.build.id" class="news">
        <b>Since {{ buildName(n.build) }}</b>
        <span v-for="l in n.gained.slice(0, 3)" :key="l.from + l.on + l.kind" class="moved"
          >{{ l.on === subject.name ? 'rested on by' : 'rests on' }} <PackageName :name="told(l)"
        /></span>
        <span v-for="l in n.lost.slice(0, 3)" :key="l.from + l.on + l.kind" class="moved"
          >no more {{ l.on === subject.name ? 'rested on by' : 'resting on' }} <PackageName :name="told(l)"
        /></span>
      </p>
    </template>
    <p class="acts">
      <button v-if="links.length" class="link second" :aria-expanded="lines" @click="lines = !lines">
        {{ lines ? 'hide the lines' : 'the lines it was read from' }}
      </button>
      <button class="link second" @click="stating = true">state a link</button>
    </p>
    <ul v-if="lines" class="lines" aria-label="Lines">
      <li v-for="(l, i) in links" :key="i">
        <span class="second">{{ kindWord[l.kind] }}, {{ l.strength }}</span>
        <code v-for="line in l.lines" :key="line">{{ line }}</code>
      </li>
    </ul>
    <LinksDialog v-if="stating" :subject="subject" :value="d.links" @close="stating = false" />
  </section>
</template>

<style scoped>
h2 {
  margin-bottom: 6px;
}
h2 .second {
  font-weight: 400;
  margin-left: 6px;
}
.roles,
.news,
.acts {
  margin-top: 6px;
}
.moved {
  margin-left: 8px;
}
.news b {
  font-weight: 600;
}
.acts {
  display: flex;
  gap: 14px;
}
.lines {
  margin-top: 6px;
  max-height: 260px;
  overflow: auto;
}
.lines li {
  padding: 3px 0;
  border-bottom: 1px solid var(--row);
}
code {
  display: block;
  font: 12px/1.45 var(--mono);
  overflow-wrap: anywhere;
}
</style>
