<script setup lang="ts">
// Logs and pictures that belong to evidence: chosen, dropped or pasted. They
// are kept on the server at once, and named by the edit when it is made.
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { megabytes } from '@/format/numbers'

const props = defineProps<{ one?: boolean }>()
const files = defineModel<Schemas['Attachment'][]>({ required: true })
const wrong = ref('')
const busy = ref(0)

async function keep(list: Iterable<File>) {
  for (const file of list) {
    busy.value++
    wrong.value = ''
    try {
      const kept = await ask(
        api.POST('/api/v1/attachments', {
          params: { query: { name: file.name || 'pasted' } },
          body: file as unknown as string,
          bodySerializer: (b) => b,
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      )
      files.value = props.one ? [kept] : [...files.value, kept]
    } catch (e) {
      wrong.value = words(e)
    } finally {
      busy.value--
    }
  }
}
useEventListener(document, 'paste', (e: ClipboardEvent) => {
  const pasted = [...(e.clipboardData?.files ?? [])]
  if (!pasted.length) return
  e.preventDefault()
  void keep(pasted)
})
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  void keep([...(input.files ?? [])])
  input.value = ''
}
</script>

<template>
  <div class="attach" @dragover.prevent @drop.prevent="keep([...($event.dataTransfer?.files ?? [])])">
    <label class="act quiet"
      ><input
        type="file"
        class="visually-hidden"
        :multiple="!one"
        accept="text/plain,.log,.txt,image/png,image/jpeg"
        @change="chosen"
      />{{ one ? 'Attach a file' : 'Attach logs or pictures' }}</label
    >
    <span class="second">{{ busy ? 'being kept…' : 'or paste or drop them here; text, PNG or JPEG, 4 MB each' }}</span>
    <ul v-if="files.length">
      <li v-for="f in files" :key="f.id">
        <span dir="auto">{{ f.name }}</span> <span class="second">{{ megabytes(f.bytes) }}</span>
        <button type="button" class="link second" @click="files = files.filter((x) => x.id !== f.id)">take off</button>
      </li>
    </ul>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.attach {
  border: 1px dashed var(--hair);
  padding: 6px 10px;
}
.attach .act {
  margin-right: 8px;
  cursor: pointer;
}
.attach .act:focus-within {
  outline: 2px solid var(--ring);
}
li {
  display: flex;
  gap: 10px;
  margin-top: 4px;
}
</style>
