<script setup lang="ts">
// What is this app? The phone's log tells which package was opened.
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import { useJob } from './job'

const props = defineProps<{ bench: string; phone: string }>()
const { query } = useScope()
const job = useJob<{ opened?: Schemas['Opened'][] }, unknown>()
const pasting = ref(false)
const text = ref('')
const pasted = ref<Schemas['Opened'][]>()
const { wrong, run } = useChange()
const opened = computed(() => [...(job.progress.value?.opened ?? [])].reverse())
const shown = computed(() => (pasting.value ? [...(pasted.value ?? [])].reverse() : opened.value))
// What is opened before the log is read is not seen: it must not be asked for
// earlier.
const hint = computed(() => {
  if (!job.busy.value) return 'Press Watch, open the app on the phone, and see which package it was.'
  return job.progress.value
    ? 'Open the app on the phone now: its package appears here.'
    : 'Wait a moment: the log of the phone is being opened.'
})

function toggle() {
  if (job.busy.value) void job.cancel()
  else void job.start(props.bench, { kind: 'watch', phone: props.phone })
}
const read = () =>
  run(async () => {
    pasted.value = (await ask(api.POST('/api/v1/opened', { body: { text: text.value } }))).opened
  })
defineExpose({ toggle })
</script>

<template>
  <section class="watch" aria-label="What is this app?">
    <div class="head">
      <div>
        <h2>What is this app?</h2>
        <p class="second" aria-live="polite">{{ hint }}</p>
      </div>
      <span class="acts">
        <button class="link" @click="pasting = !pasting">{{ pasting ? 'from the phone' : 'from pasted lines' }}</button>
        <button v-if="!pasting" class="act" @click="toggle">
          {{ job.busy.value ? 'Stop watching' : 'Watch' }} <KeyCap of="w" />
        </button>
      </span>
    </div>
    <form v-if="pasting" @submit.prevent="read">
      <textarea
        v-model="text"
        class="field mono"
        rows="5"
        aria-label="Lines of the phone's log"
        placeholder="lines of: adb logcat -s ActivityTaskManager ActivityManager"
      />
      <button class="act" :disabled="!text.trim()">Read</button>
    </form>
    <p v-if="job.wrong.value || wrong" class="ochre" role="alert">{{ job.wrong.value || wrong }}</p>
    <p v-if="pasting && pasted && !pasted.length" class="second" role="status">
      No line of it tells of an app that was opened.
    </p>
    <ol v-if="shown.length" aria-live="polite">
      <li v-for="(o, i) in shown" :key="i">
        <router-link :to="{ name: 'dossier', params: { name: o.package }, query }" class="mono">{{
          o.package
        }}</router-link>
        <span class="second component">{{ o.component }}</span>
        <p v-if="o.started.length" class="second">
          started with it: <span class="mono">{{ o.started.join(', ') }}</span>
        </p>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.watch {
  padding: 14px 18px;
  border-bottom: 1px solid var(--hair);
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  align-items: start;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
  white-space: nowrap;
}
h2 {
  font-size: 15px;
}
form {
  display: flex;
  flex-direction: column;
  gap: 6px;
  align-items: start;
  margin-top: 8px;
}
textarea {
  width: 100%;
}
ol {
  margin-top: 10px;
}
li {
  overflow-wrap: anywhere;
  padding: 5px 0;
  border-top: 1px solid var(--hair);
}
@media (max-width: 720px) {
  .head {
    flex-direction: column;
    gap: 8px;
  }
}
.component {
  margin-left: 10px;
}
</style>
