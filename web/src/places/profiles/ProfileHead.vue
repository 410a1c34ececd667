<script setup lang="ts">
// What a profile is, and what its line comes to, in figures.
import { computed } from 'vue'
import { megabytes } from '@/format/numbers'
import { methodWord } from '@/format/vocabulary'
import FollowButton from '@/shell/FollowButton.vue'
import type { Schemas } from '@/api/client'
import type { Composition } from './profile'

const props = defineProps<{ profile: Schemas['Composed']; composition: Composition }>()
// What is masked in an image frees nothing: only what is erased there does, which the
// phone decides.
const freed = computed(() =>
  props.composition.freed.filter((f) => f.method !== 'remove-from-image').reduce((n, f) => n + f.bytes, 0),
)
const said = computed(() =>
  props.composition.freed
    .map((f) => {
      const where = f.method === 'remove-from-image' ? ', on the image of phones that let it be written' : ''
      return `${methodWord[f.method]}: ${megabytes(f.bytes)}${where}`
    })
    .join('; '),
)
</script>

<template>
  <header>
    <div class="title">
      <h1 dir="auto">{{ profile.name }}</h1>
      <p class="second" dir="auto">
        {{ [profile.modelName, ...profile.sisters.map((x) => x.name)].join(', ') }}. {{ profile.purpose }}
        {{ profile.newest ? `Draft after no. ${profile.newest}.` : 'Never published.' }}
        <FollowButton :id="profile.id" kind="profile" :name="profile.name" />
      </p>
    </div>
    <dl>
      <div>
        <dd data-testid="goes">{{ composition.goes }}</dd>
        <dt>go</dt>
      </div>
      <div v-if="composition.quiet">
        <dd>{{ composition.quiet }}</dd>
        <dt>stay, made quiet</dt>
      </div>
      <div>
        <dd>{{ composition.stays }}</dd>
        <dt>stay</dt>
      </div>
      <div>
        <dd>{{ composition.lost.length }}</dd>
        <dt>{{ composition.lost.length === 1 ? 'function lost' : 'functions lost' }}</dt>
      </div>
      <div v-if="composition.dropped">
        <dd>{{ composition.dropped }}</dd>
        <dt>have to stay</dt>
      </div>
      <div>
        <dd>{{ composition.startsAtBoot }}</dd>
        <dt>start at boot, fewer</dt>
      </div>
      <div v-if="freed" :title="said">
        <dd>{{ megabytes(freed) }}</dd>
        <dt>freed</dt>
      </div>
    </dl>
  </header>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  gap: 24px;
  align-items: end;
  padding: 12px 14px 10px;
  border-bottom: 1px solid var(--hair);
}
dl {
  display: flex;
  gap: 20px;
}
dl div {
  display: flex;
  flex-direction: column;
}
dd {
  white-space: nowrap;
  font-size: 20px;
  font-weight: 650;
  line-height: 1.15;
}
dt {
  color: var(--second);
  white-space: nowrap;
}
@media (max-width: 720px) {
  header {
    flex-wrap: wrap;
    padding: 8px 14px;
  }
}
</style>
