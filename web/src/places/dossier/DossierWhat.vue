<script setup lang="ts">
import { computed, ref } from 'vue'
import FieldDialog from '@/evidence/FieldDialog.vue'
import type { Subject } from '@/evidence/dialogs'
import { loadWord, originWord, slugWords } from '@/evidence/words'
import { facts, type Dossier } from './dossier'

const props = defineProps<{ d: Dossier; subject: Subject }>()
const editing = ref<'' | 'description' | 'functions' | 'origin' | 'labels' | 'aliases'>('')
const value = computed(() => {
  switch (editing.value) {
    case 'description':
      return props.d.description
    case 'functions':
      return props.d.functions
    case 'origin':
      return props.d.origin
    case 'labels':
      return props.d.labels
    default:
      return props.d.aliases
  }
})
const differing = computed(() => facts(props.d.ships))
</script>

<template>
  <section class="band">
    <div class="half">
      <h2>What it is</h2>
      <p v-if="d.description" class="about">{{ d.description }}</p>
      <p v-else class="about faint">Nobody has said yet what it does.</p>
      <button class="link second" @click="editing = 'description'">
        {{ d.description ? 'say it better' : 'say what it does' }}
      </button>
      <dl>
        <dt>Functions</dt>
        <dd>
          {{ d.functions.map(slugWords).join(' · ') || 'none named' }}
          <button class="link edit" @click="editing = 'functions'">change</button>
        </dd>
        <dt>Put there by</dt>
        <dd>
          {{ originWord[d.origin] }} <span class="second">({{ d.originWhy }})</span>
          <button class="link edit" @click="editing = 'origin'">change</button>
        </dd>
        <dt>Also called</dt>
        <dd>
          <span v-for="(text, lang) in d.labels" :key="lang" class="called"
            ><bdi>{{ text }}</bdi> <span class="faint">{{ lang }}</span></span
          ><span v-for="a in d.aliases" :key="a" class="called">“{{ a }}”</span>
          <button class="link edit" @click="editing = 'labels'">names</button>
          <button class="link edit" @click="editing = 'aliases'">other names</button>
        </dd>
        <template v-if="d.grade.conditions.length">
          <dt>Not while</dt>
          <dd>
            <p v-for="c in d.grade.conditions" :key="c">{{ c }}</p>
          </dd>
        </template>
        <template v-if="d.grade.applies">
          <dt>Graded</dt>
          <dd>
            “{{ d.grade.applies.reason }}”
            <span class="second">{{ d.grade.applies.setBy }}, change {{ d.grade.applies.change }}</span>
          </dd>
        </template>
      </dl>
      <FieldDialog
        v-if="editing"
        :key="editing"
        :subject="subject"
        :field="editing"
        :value="value"
        @close="editing = ''"
      />
    </div>
    <div class="half">
      <h2>Why {{ loadWord[d.grade.suggested] }} is suggested</h2>
      <ul class="reasons">
        <li v-for="(r, i) in d.grade.reasons" :key="i">{{ r.text }}</li>
      </ul>
      <h2 class="later">Facts from captures</h2>
      <dl class="facts">
        <template v-for="f in differing" :key="f.name">
          <dt>{{ f.name }}</dt>
          <dd>
            <p v-for="v in f.values.slice(0, 4)" :key="v.value" class="fact">
              <span :class="{ mono: f.name === 'Lies at' }">{{ v.value }}</span>
              <span v-if="f.values.length > 1" class="second" :title="v.on.join(', ')">{{
                v.on.length === 1 ? v.on[0] : `on ${v.on.length} builds`
              }}</span>
            </p>
            <p v-if="f.values.length > 4" class="second">and {{ f.values.length - 4 }} more</p>
          </dd>
        </template>
      </dl>
    </div>
  </section>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 28px;
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  margin-bottom: 4px;
}
.later {
  margin-top: 14px;
}
.about {
  max-width: 62ch;
  white-space: pre-line;
}
dl {
  display: grid;
  grid-template-columns: 88px 1fr;
  gap: 4px 8px;
  margin-top: 10px;
}
dt {
  color: var(--second);
}
.edit {
  color: var(--second);
  font-size: 12px;
  margin-left: 4px;
}
.called {
  margin-right: 12px;
}
.reasons li {
  padding: 1px 0;
}
.facts {
  margin-top: 0;
}
.fact {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.fact .mono {
  overflow-wrap: anywhere;
}
</style>
