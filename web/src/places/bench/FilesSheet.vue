<script setup lang="ts">
import { nextTick, ref, shallowRef } from 'vue'
import { api, ask, asForm, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import NotesTable from '@/places/intake/NotesTable.vue'
import FileDrop from '@/ui/FileDrop.vue'
import CaptureDone from './CaptureDone.vue'

const { busy, wrong, run } = useChange('captures')
const text = ref('')
const said = ref<HTMLElement>()
const done = shallowRef<Schemas['Uploaded']>()

async function upload(list: File[]) {
  done.value = undefined
  const worked = await run(async () => {
    done.value = await ask(api.POST('/api/v1/captures', asForm(list)))
    text.value = ''
  })
  if (!worked) void nextTick(() => said.value?.scrollIntoView({ block: 'center' }))
}
const paste = () => upload([new File([text.value], 'pasted text')])
</script>

<template>
  <section aria-label="From files">
    <header>
      <h1>From files</h1>
      <p class="second">
        Whatever one phone printed, in any mixture: <span class="mono">getprop</span>,
        <span class="mono">pm list packages</span>, <span class="mono">dumpsys package</span>, a zip of them, a capture
        file, or a complete bug report.
      </p>
    </header>
    <p v-if="wrong" ref="said" class="notice bad" role="alert">{{ wrong }}</p>
    <FileDrop
      class="drop"
      multiple
      large
      :busy="busy"
      label="Drop the files here, or choose them"
      note="Roster finds out what each is."
      @files="upload"
    />
    <p class="private">
      <b>A bug report holds private things.</b> Only these parts of it are read: the system's properties, and what the
      phone says of its packages, roles, overlays, web view, device administrators and sizes. Nothing else is looked at,
      kept or logged, and the file itself is not kept.
    </p>
    <form class="paste" @submit.prevent="paste">
      <label for="paste">Or paste what the phone printed</label>
      <textarea
        id="paste"
        v-model="text"
        class="field mono"
        rows="6"
        :disabled="busy"
        placeholder="$ getprop&#10;[ro.build.fingerprint]: […]&#10;$ pm list packages -f&#10;package:/product/app/…"
      />
      <button class="act" :disabled="busy || !text.trim()">Read the text</button>
    </form>
    <details class="how">
      <summary>No computer? Make a bug report on the phone</summary>
      <ol>
        <li>Settings, About phone: tap the build number seven times.</li>
        <li>Settings, System, Developer options, Bug report, Full report. It takes a few minutes.</li>
        <li>Open the notification when it is ready, save the file, and choose it above, in this phone's browser.</li>
      </ol>
    </details>
    <template v-if="done">
      <CaptureDone :id="done.id" :known="done.known" />
      <div v-if="done.notes.length" class="notes">
        <h2>Not understood</h2>
        <NotesTable :notes="done.notes" :omitted="done.omitted" />
      </div>
    </template>
  </section>
</template>

<style scoped>
header {
  padding: 12px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.drop {
  margin: 18px 18px 10px;
}
.private,
.how,
.paste,
.notes {
  margin: 0 18px 16px;
  max-width: 640px;
}
.paste {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 6px;
}
textarea {
  width: 100%;
}
b,
label[for='paste'] {
  font-weight: 650;
}
.how ol {
  list-style: decimal;
  padding: 6px 0 0 18px;
}
summary {
  cursor: pointer;
}
</style>
