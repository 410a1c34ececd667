<script setup lang="ts">
import { computed, ref } from 'vue'
import FieldDialog from '@/editing/FieldDialog.vue'
import type { Subject } from '@/editing/dialogs'
import { guidesAsText, type Guide, type Translations } from '@/editing/guides'
import { useScope } from '@/composables/scope'
import ProseText from '@/ui/ProseText.vue'
import SubstitutesDialog from '@/editing/SubstitutesDialog.vue'
import { count } from '@/format/numbers'
import { country, originWord, slugWords } from '@/format/vocabulary'
import type { Dossier } from './dossier'

const props = defineProps<{ d: Dossier; subject: Subject }>()
const editing = ref<
  | ''
  | 'description'
  | 'functions'
  | 'origin'
  | 'labels'
  | 'aliases'
  | 'countries'
  | 'substitutes'
  | 'translations'
  | 'debugging'
>('')
const iconWord = { yes: 'an icon on the screen', no: 'no icon', '': 'no capture has told of an icon' }
const handWord = {
  uninstall: 'let its owner uninstall it',
  'switch-off': 'let its owner switch it off',
  grey: 'do not let its owner switch it off',
}
const claimsOf = (field: string) => props.d.claims.filter((c) => c.field === field)
const translations = computed(() => (claimsOf('translations')[0]?.value ?? {}) as Translations)
// What is said of letting phones listen, wherever that holds; it belongs to the
// package that has the phone's settings.
const { scope } = useScope()
const guides = computed(() =>
  claimsOf('debugging').map((c) => ({
    id: c.scopeId,
    name: c.scopeName,
    kind: c.scopeKind,
    value: c.value as Guide[],
  })),
)
const guidesAt = (kind: string) => guides.value.find((g) => g.kind === kind)?.value ?? []
const hasSettings = computed(() => guides.value.length > 0 || /(^|\.)settings$/.test(props.d.package.name))
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
    case 'translations':
      return translations.value
    case 'debugging':
      return guidesAt(scope.value.model ? 'model' : scope.value.maker ? 'maker' : 'everywhere')
    case 'countries':
      return props.d.countries
    default:
      return props.d.aliases
  }
})
</script>

<template>
  <section class="band">
    <div class="half">
      <h2>What it is</h2>
      <ProseText v-if="d.prose" :html="d.prose" />
      <p v-else class="faint">Nobody has said yet what it does.</p>
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
        <dt>On the phone</dt>
        <dd>
          {{ iconWord[d.hand.icon] }}; its settings {{ d.hand.sure ? '' : 'probably ' }}{{ handWord[d.hand.hand] }}
          <span v-if="d.hand.sure" class="second">(tried on {{ count(d.hand.phones, 'phone') }})</span>
        </dd>
        <dt>Also called</dt>
        <dd>
          <span v-for="(text, lang) in d.labels" :key="lang" class="called"
            ><bdi>{{ text }}</bdi> <span class="faint">{{ lang }}</span></span
          ><span v-for="a in d.aliases" :key="a" class="called">“{{ a }}”</span>
          <button class="link edit" @click="editing = 'labels'">names</button>
          <button class="link edit" @click="editing = 'aliases'">other names</button>
        </dd>
        <dt>Translated</dt>
        <dd>
          {{ Object.keys(translations).join(', ') || 'into no language yet' }}
          <button class="link edit" @click="editing = 'translations'">change</button>
        </dd>
        <template v-if="hasSettings">
          <dt>Debugging</dt>
          <dd>
            <p v-for="g in guides" :key="g.id">
              {{ g.name }}:
              <span class="second">{{ g.value.map((x) => guidesAsText([x]).split('\n')[0]).join('; ') }}</span>
            </p>
            <template v-if="!guides.length">as on most phones</template>
            <button class="link edit" @click="editing = 'debugging'">say how these phones are let listen</button>
          </dd>
        </template>
        <dt>In its place</dt>
        <dd>
          <p v-for="s in d.substitutes" :key="s.name">
            <bdi>{{ s.name }}</bdi>
            <router-link
              v-if="s.package"
              class="mono second also"
              :to="{ name: 'dossier', params: { name: s.package }, query: $route.query }"
              >{{ s.package }}</router-link><span v-if="s.for" class="second also">for {{ slugWords(s.for) }}</span
            ><span v-if="s.first" class="second also"
              >first: <bdi>{{ s.first }}</bdi></span
            >
          </p>
          <template v-if="!d.substitutes.length">nothing named</template>
          <button class="link edit" @click="editing = 'substitutes'">change</button>
        </dd>
        <dt>Makes sense in</dt>
        <dd>
          {{ d.countries.map(country).join(', ') || 'any country' }}
          <button class="link edit" @click="editing = 'countries'">change</button>
        </dd>
      </dl>
      <SubstitutesDialog
        v-if="editing === 'substitutes'"
        :subject="subject"
        :value="d.substitutes"
        @close="editing = ''"
      />
      <FieldDialog
        v-else-if="editing"
        :key="editing"
        :subjects="[subject]"
        :title="subject.label || subject.name"
        :field="editing"
        :value="value"
        :value-at="editing === 'debugging' ? guidesAt : undefined"
        @close="editing = ''"
      />
    </div>
    <div class="half"><slot /></div>
  </section>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 28px;
  padding: 14px 18px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  margin-bottom: 4px;
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
.also {
  margin-left: 8px;
}
</style>
