<script setup lang="ts">
// Brings in a list from elsewhere: its columns and grades are mapped by the
// person, what would become of each row is shown, and it becomes one change.
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { touch } from '@/api/stale'
import { useScopeChoices } from '@/editing/scopes'
import { count } from '@/format/numbers'
import { loads, loadWord } from '@/format/vocabulary'
import { useChange } from '@/composables/change'
import FootBar from '@/ui/FootBar.vue'
import { useScope } from '@/composables/scope'
import ImportRows from './ImportRows.vue'

type Mapping = Schemas['Mapping']
const { query, scope } = useScope()
const text = ref('')
const pasted = ref('')
const list = ref<Schemas['ReadList']>()
const nothing: Mapping = { title: '', link: '', name: '', grade: '', words: '', linkColumn: '', label: '' }
const m = ref<Mapping>({ ...nothing })
const preview = ref<Schemas['ImportPreview']>()
const contradicting = ref(false)
const sent = ref('')
const { busy, wrong, run } = useChange()
let key = crypto.randomUUID()

async function read(raw: string, name = '') {
  await run(async () => {
    sent.value = ''
    preview.value = undefined
    list.value = await ask(
      api.POST('/api/v1/imports/read', {
        body: raw as never,
        bodySerializer: (b) => b as unknown as string,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
    text.value = raw
    m.value = list.value.mapping
      ? { ...nothing, ...list.value.mapping, grades: { ...list.value.mapping.grades } }
      : { ...nothing, title: name.replace(/\.\w+$/, ''), grades: {} }
  })
}
async function choose(e: Event) {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (file) await read(await file.text(), file.name)
}
const column = (name?: string) => list.value?.columns.indexOf(name ?? '') ?? -1
const gradeValues = computed(() =>
  column(m.value.grade) >= 0 ? (list.value?.values[column(m.value.grade)] ?? []) : [],
)
const roles = [
  ['name', 'package names'],
  ['grade', 'grades'],
  ['words', 'what it says'],
  ['linkColumn', 'an address of its own'],
  ['label', 'what people call it'],
] as const
const body = computed(() => ({
  text: text.value,
  mapping: {
    ...m.value,
    grades: Object.fromEntries(
      Object.entries(m.value.grades ?? {}).filter(([g, l]) => l && gradeValues.value.includes(g)),
    ),
  },
  maker: scope.value.maker,
  model: scope.value.model,
  groups: (contradicting.value ? ['new', 'contradicts'] : ['new']) as ('new' | 'contradicts')[],
}))
watch(
  () => JSON.stringify([m.value, scope.value]),
  () => (preview.value = undefined),
)
const ready = computed(() => !!m.value.title.trim() && !!m.value.name && !!(m.value.link?.trim() || m.value.linkColumn))
const look = () =>
  run(async () => {
    preview.value = await ask(api.POST('/api/v1/imports/preview', { body: body.value }))
    key = crypto.randomUUID()
  })
const send = () =>
  run(async () => {
    const made = await ask(
      api.POST('/api/v1/imports', { params: { header: { 'Idempotency-Key': key } }, body: body.value }),
    )
    sent.value = made.id
    await touch('changes')
  })
const goes = computed(() => preview.value?.rows.filter((r) => body.value.groups.includes(r.group as 'new')).length ?? 0)
const { choices } = useScopeChoices()
const where = computed(() => choices.value.find((c) => c.value !== 'build')?.word ?? 'everywhere')
</script>

<template>
  <section class="paper" tabindex="0" role="region" aria-label="A list from elsewhere">
    <h1>A list from elsewhere</h1>
    <p class="second about">
      Plain names, CSV, JSON or YAML in any layout. Nothing is trusted because it was imported: each row becomes a
      source that a reviewer reads, never a trial.
    </p>
    <div class="from">
      <label class="act">Choose a file<input type="file" class="visually-hidden" @change="choose" /></label>
      <form v-if="!list" @submit.prevent="read(pasted)">
        <textarea
          v-model="pasted"
          class="field mono"
          rows="6"
          aria-label="Or paste the list"
          placeholder="or paste it here"
        />
        <button class="act" :disabled="!pasted.trim() || busy">Read it</button>
      </form>
      <button v-else class="link second" @click="list = undefined">another list</button>
    </div>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <template v-if="list">
      <p>
        {{ count(list.of, 'row') }} in {{ count(list.columns.length, 'column') }}, read as {{ list.form
        }}<template v-if="list.mapping">. A list of this shape was read before; you see how.</template>
      </p>
      <form class="map" @submit.prevent="look">
        <fieldset>
          <legend>Where it is from</legend>
          <label><span>name of the list</span><input v-model="m.title" class="field" maxlength="200" /></label>
          <label
            ><span>its address</span
            ><input v-model="m.link" class="field" type="url" maxlength="2000" placeholder="https://"
          /></label>
          <p class="second">
            Its grades are taken to hold for the scope above: <b>{{ where }}</b>.
          </p>
        </fieldset>
        <fieldset>
          <legend>Which column has</legend>
          <label v-for="[role, what] in roles" :key="role">
            <span>{{ what }}</span>
            <select v-model="m[role]" class="field" :aria-label="what">
              <option value="">{{ role === 'name' ? 'choose' : 'none' }}</option>
              <option v-for="c in list.columns" :key="c" :value="c">{{ c }}</option>
            </select>
          </label>
        </fieldset>
        <fieldset v-if="gradeValues.length">
          <legend>Its grades in our words</legend>
          <label v-for="g in gradeValues" :key="g">
            <span class="theirs" dir="auto">{{ g }}</span>
            <select v-model="m.grades![g]" class="field" :aria-label="`${g} is`">
              <option :value="undefined">only quoted</option>
              <option v-for="l in loads" :key="l" :value="l">{{ loadWord[l] }}</option>
            </select>
          </label>
        </fieldset>
        <button class="act first" :disabled="!ready || busy">See what would become of it</button>
      </form>
      <table class="listed raw">
        <thead>
          <tr>
            <th>Place</th>
            <th v-for="c in list.columns" :key="c">{{ c }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in list.rows.slice(0, preview ? 3 : 12)" :key="r.place">
            <td class="second">{{ r.place }}</td>
            <td v-for="(cell, i) in r.cells" :key="i" dir="auto">{{ cell }}</td>
          </tr>
        </tbody>
      </table>
      <ImportRows v-if="preview" v-model:contradicting="contradicting" :preview="preview" />
    </template>
  </section>
  <Teleport defer to="#foot">
    <FootBar name="List">
      <span v-if="sent" role="status"
        >Sent as one change. <router-link :to="{ path: `/review/${sent}`, query }">See it</router-link></span
      >
      <span v-else-if="preview">{{ count(goes, 'row') }} would be sent</span>
      <span v-else class="dim">nothing is sent until you have seen what would become of it</span>
      <button v-if="preview && !sent" class="go" :disabled="!goes || busy" @click="send">Send as one change</button>
    </FootBar>
  </Teleport>
  <Teleport defer to="#margin">
    <h1>How a list is read</h1>
    <p>Roster finds rows and columns. What they mean, you say.</p>
    <p>A grade that you do not map is quoted as it stands and counts for nothing.</p>
    <p>The next list with these columns is read the same way.</p>
  </Teleport>
</template>

<style scoped>
.about {
  max-width: 640px;
  margin-bottom: 10px;
}
.from,
.from form {
  display: flex;
  gap: 12px;
  align-items: start;
}
.from form {
  flex: 1;
}
textarea {
  flex: 1;
  resize: vertical;
}
.map {
  display: flex;
  flex-wrap: wrap;
  gap: 14px 32px;
  align-items: end;
  margin: 12px 0;
}
fieldset {
  align-self: start;
}
.map label {
  display: grid;
  grid-template-columns: 150px 210px;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.theirs {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.raw td {
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
