<script setup lang="ts">
// How a phone is made to listen to a computer, each step with a drawing.
import PhonePicture from './PhonePicture.vue'
import { t } from './words'
import { guides } from './wrote'
import type { Guide } from '@/editing/guides'

defineEmits<{ next: [] }>()

const steps = [
  { words: 'ready.1', picture: { meant: 5 } },
  { words: 'ready.2', picture: { meant: 4, taps: 7 } },
  { words: 'ready.3', picture: { meant: 3 } },
  { words: 'ready.4', picture: { meant: 2, turned: true } },
  { words: 'ready.5', picture: { rows: 0, plugged: true } },
] as const

// Those of the maker's own phones, where somebody wrote them down.
const own = guides()
const whom = (g: Guide) => `Android ${g.from ?? ''}${g.from === g.to ? '' : `–${g.to ?? ''}`}`
</script>

<template>
  <h2>{{ t('ready.title') }}</h2>
  <p>{{ t('ready.why') }}</p>
  <template v-if="own.length">
    <section v-for="g in own" :key="whom(g)" class="own">
      <h3 v-if="own.length > 1">{{ whom(g) }}</h3>
      <div class="beside">
        <PhonePicture :meant="2" turned />
        <ol :lang="g.language" dir="auto">
          <li v-for="s in g.steps" :key="s">{{ s }}</li>
        </ol>
      </div>
    </section>
    <p>{{ t('ready.5') }}</p>
  </template>
  <ol v-else class="drawn">
    <li v-for="s in steps" :key="s.words">
      <PhonePicture v-bind="s.picture" />
      <span>{{ t(s.words) }}</span>
    </li>
  </ol>
  <p v-if="!own.length" class="second">{{ t('ready.nofind') }}</p>
  <button class="go-on" @click="$emit('next')">{{ t('ready.done') }}</button>
</template>

<style scoped>
.drawn {
  counter-reset: step;
  display: grid;
  gap: 18px 22px;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  list-style: none;
  margin: 14px 0;
  padding: 0;
}
.drawn li {
  align-items: start;
  counter-increment: step;
  display: grid;
  gap: 10px;
  grid-template-columns: 92px 1fr;
}
.drawn span::before {
  content: counter(step);
  display: block;
  font-size: 20px;
  font-weight: 650;
}
.beside {
  align-items: start;
  display: flex;
  gap: 10px;
  margin: 14px 0;
}
.beside ol {
  font-size: 17px;
  margin: 0;
  padding-inline-start: 26px;
}
.beside li {
  margin-bottom: 8px;
}
@media (max-width: 480px) {
  .drawn {
    grid-template-columns: 1fr;
  }
}
</style>
