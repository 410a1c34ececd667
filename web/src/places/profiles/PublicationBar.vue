<script setup lang="ts">
// A publication that waits for a second person, or what became of the last.
import { ref } from 'vue'
import { ago, exactTime } from '@/format/dates'
import type { Publication } from './profile'
import ReleaseDifferences from './ReleaseDifferences.vue'

defineProps<{ publication: Publication; own: boolean; may: boolean; number: number; busy: boolean; dirty: boolean }>()
const emit = defineEmits<{ decide: [verdict: 'published' | 'returned' | 'taken-back', answer: string] }>()
const answer = ref('')
const returning = ref(false)
</script>

<template>
  <section class="bar" aria-label="Waiting to be published">
    <p>
      <b>{{ publication.askedBy }} asks to publish no. {{ number }}</b>
      {{ ' ' }}<span class="second" :title="exactTime(publication.askedAt)">{{ ago(publication.askedAt) }}</span>
      <span v-if="publication.words"> “{{ publication.words }}”</span>
    </p>
    <p v-for="(c, i) in publication.changes" :key="i" dir="auto">{{ c }}</p>
    <template v-if="publication.differences">
      <h2>{{ publication.since ? `Otherwise than no. ${publication.since}` : 'What is new' }}</h2>
      <ReleaseDifferences :lines="publication.differences" />
    </template>
    <div v-if="may" class="acts">
      <template v-if="own">
        <span class="second">Another maintainer has to look at it.</span>
        <button class="act" :disabled="busy" @click="emit('decide', 'taken-back', '')">Take it back</button>
      </template>
      <template v-else-if="returning">
        <input
          v-model="answer"
          v-focus
          class="field"
          aria-label="What has to change"
          placeholder="what has to change"
          maxlength="2000"
        />
        <button class="act" :disabled="busy || !answer.trim()" @click="emit('decide', 'returned', answer.trim())">
          Return it
        </button>
        <button class="link second" @click="returning = false">cancel</button>
      </template>
      <template v-else>
        <button
          class="act first"
          :disabled="busy || dirty"
          :title="dirty ? 'You changed the rules: look at what was asked for' : ''"
          @click="emit('decide', 'published', '')"
        >
          Sign and publish no. {{ number }}
        </button>
        <button class="act" :disabled="busy" @click="returning = true">Return</button>
        <span class="second">It is public at once, and can never be changed.</span>
      </template>
    </div>
  </section>
</template>

<style scoped>
.bar {
  padding: 8px 14px 10px;
  background: var(--picked);
  border-bottom: 1px solid var(--hair);
}
b {
  font-weight: 650;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
}
.acts .field {
  flex: 1;
}
</style>
