<script setup lang="ts">
// What a hand would do to a stand-in phone. Real phones have no such panel.
import { computed, ref } from 'vue'
import type { StandIn } from './bench'
import { useJob } from './job'

const props = defineProps<{ bench: string; standIn: StandIn }>()
const job = useJob<unknown, unknown>()
const app = ref('')
const s = computed(() => props.standIn)
const actions = computed(() => [
  { word: 'accept', label: 'Accept the computer', may: s.value.asking > 0 },
  { word: 'refuse', label: 'Refuse it', may: s.value.asking > 0 },
  s.value.plugged
    ? { word: 'unplug', label: 'Pull the cable', may: true }
    : { word: 'plug', label: 'Plug it in', may: true },
  { word: 'loosen', with: '3', label: 'Loosen the cable', may: s.value.plugged },
  { word: 'restart', label: 'Restart', may: !s.value.stuck },
  s.value.lockCode
    ? { word: 'unlock', label: 'Remove the lock code', may: true }
    : { word: 'lock', label: 'Set a lock code', may: true },
  {
    word: 'update',
    label: s.value.update ? `Take the update to ${s.value.update}` : 'No update waits',
    may: !!s.value.update,
  },
  { word: 'reset', label: 'Reset it', may: true },
  ...(s.value.root
    ? [
        s.value.root === 'given'
          ? { word: 'refuse-root', label: 'Give root to nobody', may: true }
          : { word: 'give-root', label: 'Give root to whoever asks', may: true },
      ]
    : []),
])
const act = (action: string, more?: string) =>
  job.start(props.bench, { kind: 'hand', address: s.value.address, action, with: more })
</script>

<template>
  <section class="hand" aria-label="Hand of the stand-in">
    <h2>Stand-in: what your hand would do</h2>
    <p class="second">
      A simulated phone that ships with Roster, on {{ standIn.build }}{{ standIn.lockCode ? ', with a lock code' : ''
      }}{{ standIn.stuck ? `; ${standIn.stuck}` : '' }}.
    </p>
    <div class="acts">
      <button
        v-for="a in actions"
        :key="a.word"
        class="act"
        :disabled="!a.may || job.busy.value"
        @click="act(a.word, a.with)"
      >
        {{ a.label }}
      </button>
    </div>
    <form @submit.prevent="act('open', app.trim())">
      <input
        v-model="app"
        class="field mono"
        aria-label="Package to open, or to need"
        placeholder="com.fieldnote.chirrup"
        maxlength="255"
      />
      <button class="act" :disabled="!app.trim() || job.busy.value">Open this app</button>
      <button class="act" type="button" :disabled="!app.trim() || job.busy.value" @click="act('need', app.trim())">
        Not start without it
      </button>
    </form>
    <p v-if="job.wrong.value" class="ochre" role="alert">{{ job.wrong.value }}</p>
  </section>
</template>

<style scoped>
.hand {
  margin: 18px;
  padding: 12px 14px;
  border: 1px dashed var(--faint);
}
.acts,
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 8px;
}
input {
  flex: 0 1 260px;
}
</style>
