<script setup lang="ts">
// What it is, whose it is, and what was begun in this browser before.
import { computed } from 'vue'
import type { Release, Run } from './messages'
import { day, many, t } from './words'

const props = defineProps<{ release: Release; list: string; runs: Run[]; seenAt: string }>()
defineEmits<{ begin: []; open: [id: string]; log: [] }>()

const removals = computed(() => props.release.document.steps.filter((s) => s.kind === 'remove'))
const quiet = computed(() => removals.value.filter((s) => s.method === 'quieten').length)
const goes = computed(() => removals.value.length - quiet.value)
const before = computed(() => props.runs.filter((r) => r.off.length > 0 || r.state === 'going').reverse())

// The key is remembered by who publishes: another one is worth a word.
const keptIn = `roster-here-key-${location.origin}`
const known = localStorage.getItem(keptIn)
localStorage.setItem(keptIn, props.release.keyId)
</script>

<template>
  <p v-if="release.status.state === 'withdrawn'" class="note harm" role="alert">
    {{ t('begin.withdrawn', { why: release.status.reason ?? '' }) }}
  </p>
  <p v-else-if="release.status.state === 'replaced'" class="note">
    {{ t('begin.replaced') }} <a :href="list">{{ t('finish.back') }}</a>
  </p>
  <p class="big">
    {{ t('begin.what', { n: goes }) }} <template v-if="quiet">{{ many('page.quietens', quiet) }} </template>{{
      t('begin.lose')
    }}
    {{ t('begin.undo') }}
  </p>
  <p>{{ t('begin.here') }}</p>
  <p class="second">
    {{ t('begin.signed', { publisher: release.document.publisher, key: release.keyId }) }}
    <template v-if="known === release.keyId">{{ t('begin.sameKey') }}</template>
    <b v-else-if="known" class="harm">{{ t('begin.otherKey') }}</b>
  </p>
  <p v-if="seenAt" class="note">{{ t('begin.offline', { day: day(seenAt) }) }}</p>
  <button v-if="release.status.state !== 'withdrawn'" class="go-on" @click="$emit('begin')">{{ t('begin.go') }}</button>
  <template v-if="before.length">
    <h3>{{ t('begin.before') }}</h3>
    <ul class="rows">
      <li v-for="r in before" :key="r.id">
        <span>
          <b>{{ r.phone }}</b> <span class="second">{{ r.title || t('log.title') }}, {{ day(r.startedAt) }}</span>
        </span>
        <button class="press" @click="$emit('open', r.id)">{{ t('run.goOn') }}</button>
      </li>
    </ul>
  </template>
  <p>
    <button class="press" @click="$emit('log')">{{ t('begin.logs') }}</button>
  </p>
</template>
