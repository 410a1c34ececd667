<script setup lang="ts">
// What was said at one place, and a line to say more.
import { ref } from 'vue'
import type { Schemas } from '@/api/client'
import { ago, exactTime } from '@/format/dates'

const props = defineProps<{
  comments: Schemas['Comment'][]
  about: string
  lookedAt?: string
  // say tells whether the words arrived; what did not stays written.
  say: (text: string) => Promise<boolean>
}>()
const text = ref('')
const open = ref(false)
const busy = ref(false)
async function send() {
  if (!text.value.trim() || busy.value) return
  busy.value = true
  if (await props.say(text.value.trim())) {
    text.value = ''
    open.value = false
  }
  busy.value = false
}
</script>

<template>
  <div class="talk">
    <p v-for="c in comments" :key="c.id" :class="{ fresh: lookedAt && c.at > lookedAt }" dir="auto">
      <b>{{ c.person }}</b> <span class="said">{{ c.text }}</span>
      <span class="second" :title="exactTime(c.at)">{{ ago(c.at) }}</span>
    </p>
    <button v-if="!open" class="link second" @click.stop="open = true">
      {{ comments.length ? 'answer' : 'say something' }}
    </button>
    <form v-else @submit.prevent="send" @click.stop>
      <input
        v-model="text"
        v-focus
        class="field"
        maxlength="5000"
        :readonly="busy"
        :aria-label="`Say something about ${about}`"
        @keydown.esc.stop="open = false"
      />
      <button class="act quiet" :disabled="busy || !text.trim()">Say it</button>
    </form>
  </div>
</template>

<style scoped>
.talk {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 3px;
}
p {
  border-left: 2px solid var(--hair);
  padding-left: 9px;
}
p.fresh {
  border-color: var(--ring);
}
.said {
  margin-right: 6px;
  white-space: pre-line;
}
form {
  display: flex;
  gap: 6px;
  width: 100%;
}
.field {
  flex: 1;
}
</style>
