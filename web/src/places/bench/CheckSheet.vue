<script setup lang="ts">
// The check list: answered by hand, days later perhaps, from a phone's browser
// too. What is broken can be narrowed down to the one package.
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import AttachFiles from '@/editing/AttachFiles.vue'
import { ago, exactTime } from '@/format/dates'
import { useChange } from '@/composables/change'
import HalvingPanel from './HalvingPanel.vue'
import type { Run } from './run'
import { cleanFrom, daysSince } from './watched'

const props = defineProps<{ run: Run; here: boolean }>()
type Check = Schemas['RunCheck']
const { busy, wrong, run: doing } = useChange()
const early = computed(() => props.run.state !== 'put-back' && daysSince(props.run.startedAt) < 1)
const noting = ref(0)
const note = ref('')
const files = ref<Schemas['Attachment'][]>([])
const answers = [
  { value: 'works', word: 'works' },
  { value: 'broken', word: 'broken' },
  { value: 'not-tried', word: 'not tried' },
] as const
// Whoever answers one after another does not wait for the server: what was pressed
// stands at once, and is sent in turn.
const pressed = ref<Record<number, Check['answer']>>({})
const answered = (c: Check) => pressed.value[c.number] ?? c.answer
let sent: Promise<unknown> = Promise.resolve()
function say(c: Check, answer: Check['answer'], more: { note: string; attachments: string[] }) {
  pressed.value[c.number] = answer
  const saying = sent.then(() =>
    doing(() =>
      ask(
        api.PUT('/api/v1/runs/{id}/checks/{number}', {
          params: { path: { id: props.run.id, number: c.number } },
          body: { answer, ...more },
        }),
      ),
    ),
  )
  sent = saying.then(() => {
    if (pressed.value[c.number] === answer) delete pressed.value[c.number]
  })
  return saying
}
const kept = (c: Check) => ({ note: c.note, attachments: c.attachments })
function begin(c: Check) {
  noting.value = noting.value === c.number ? 0 : c.number
  note.value = c.note
  files.value = []
}
async function keep(c: Check) {
  if (
    await say(c, answered(c), {
      note: note.value.trim(),
      attachments: [...c.attachments, ...files.value.map((f) => f.id)],
    })
  )
    noting.value = 0
}
const hunt = (c: Check) => props.run.hunts.find((h) => h.check === c.number)
</script>

<template>
  <section class="checks" aria-label="Check list">
    <h2>Try by hand <span class="second">now, and again when it was used for a week</span></h2>
    <p v-if="run.checks.length && early" class="second" data-testid="clean from">
      A package counts as clean after a day of use: what you answer now tells what is broken. Come back from
      <b>{{ exactTime(cleanFrom(run.startedAt).toISOString()) }}</b> for the rest.
    </p>
    <ul>
      <li v-for="c in run.checks" :key="c.number">
        <div class="row">
          <span class="text"
            >{{ c.text }}
            <span class="second by" :title="c.answeredAt && exactTime(c.answeredAt)">{{
              c.answeredAt ? `${c.answeredBy}, ${ago(c.answeredAt)}` : ''
            }}</span></span
          >
          <fieldset :aria-label="c.text">
            <label v-for="a in answers" :key="a.value" :class="[a.value, { on: answered(c) === a.value }]"
              ><input
                type="radio"
                class="visually-hidden"
                :name="`check-${c.number}`"
                :checked="answered(c) === a.value"
                @change="say(c, a.value, kept(c))"
              />{{ a.word }}</label
            >
          </fieldset>
          <button class="link second" :aria-expanded="noting === c.number" @click="begin(c)">
            {{ c.note || c.attachments.length ? 'note' : 'add a note' }}
          </button>
        </div>
        <p v-if="c.note && noting !== c.number" class="second" dir="auto">{{ c.note }}</p>
        <p v-if="c.attachments.length && noting !== c.number" class="second">
          <a v-for="(f, i) in c.attachments" :key="f" :href="`/api/v1/attachments/${f}`" target="_blank"
            >picture {{ i + 1 }}</a
          >
        </p>
        <form v-if="noting === c.number" class="note" @submit.prevent="keep(c)">
          <textarea v-model="note" class="field" rows="2" maxlength="2000" :aria-label="`Note: ${c.text}`" />
          <AttachFiles v-model="files" />
          <button class="act" :disabled="busy">Keep the note</button>
        </form>
        <HalvingPanel v-if="c.answer === 'broken'" :run="run" :check="c" :hunt="hunt(c)" :here="here" />
      </li>
    </ul>
    <p v-if="!run.checks.length" class="second">This release asks nothing to be tried.</p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
.checks {
  padding: 12px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
h2 .second {
  font-size: 13px;
  font-weight: 400;
}
li {
  padding: 4px 0;
  border-top: 1px solid var(--row);
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
}
.text {
  flex: 1;
}
fieldset {
  display: flex;
  gap: 4px;
  flex: none;
}
label {
  padding: 2px 10px;
  border: 1px solid var(--hair);
  cursor: pointer;
}
label.on {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
  font-weight: 600;
}
label.broken.on {
  border-color: var(--harm);
  box-shadow: inset 0 0 0 1px var(--harm);
  color: var(--harm-text);
}
label:focus-within {
  outline: 2px solid var(--ring);
}
.note {
  display: flex;
  flex-direction: column;
  align-items: start;
  gap: 6px;
  padding: 6px 0;
}
textarea {
  width: 100%;
}
@media (max-width: 720px) {
  .row {
    flex-wrap: wrap;
  }
  .text {
    flex: 1 0 100%;
  }
  /* What comes into it moves nothing that a finger is on its way to. */
  .by {
    display: block;
    min-height: 1.5em;
  }
  label {
    padding: 8px 14px;
  }
}
</style>
