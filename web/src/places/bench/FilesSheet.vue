<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref, shallowRef } from 'vue'
import { api, ask, words } from '@/api/client'
import type { Stored } from './capture'
import StoredCapture from './StoredCapture.vue'

const client = useQueryClient()
const over = ref(false)
const busy = ref(false)
const wrong = ref('')
const stored = shallowRef<Stored>()
const summary = shallowRef<unknown>()

async function upload(files: FileList | null | undefined) {
  if (!files?.length) return
  busy.value = true
  wrong.value = ''
  stored.value = undefined
  const form = new FormData()
  for (const f of files) form.append('files', f)
  try {
    const sum = await ask(
      api.POST('/api/v1/captures', {
        body: form as unknown as { files: string[] },
        bodySerializer: (body: unknown) => body as FormData,
      }),
    )
    summary.value = sum
    stored.value = await ask(api.GET('/api/v1/captures/{id}', { params: { path: { id: sum.id } } }))
    await Promise.all(
      ['makers', 'models', 'builds', 'ledger'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    )
  } catch (e) {
    wrong.value = words(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <section aria-label="From files">
    <header>
      <h1>From files</h1>
      <p class="second">
        Text outputs of one phone: <span class="mono">getprop</span>, <span class="mono">pm list packages</span>,
        <span class="mono">dumpsys package</span>.
      </p>
    </header>
    <label
      class="drop"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="((over = false), upload($event.dataTransfer?.files))"
    >
      <input
        type="file"
        multiple
        class="visually-hidden"
        :disabled="busy"
        @change="upload(($event.target as HTMLInputElement).files)"
      />
      <b>{{ busy ? 'Reading' : 'Drop the files here, or choose them' }}</b>
      <span class="second">Roster finds out what each is. The files are read and not kept.</span>
    </label>
    <p v-if="wrong" class="notice bad" role="alert">{{ wrong }}</p>
    <StoredCapture v-if="stored" :capture="stored" :summary="summary" />
  </section>
</template>

<style scoped>
header {
  padding: 12px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.drop {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 3px;
  margin: 18px;
  padding: 34px 20px;
  border: 1px dashed var(--faint);
  cursor: pointer;
}
.drop.over,
.drop:focus-within {
  border-color: var(--ring);
  background: var(--picked);
}
b {
  font-weight: 650;
}
</style>
