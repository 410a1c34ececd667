<script setup lang="ts">
import { computed, ref } from 'vue'
import { words } from '@/api/client'
import EditValue from '@/evidence/EditValue.vue'
import { count, fieldWord } from '@/evidence/words'
import PackageName from '@/marks/PackageName.vue'
import { useScope } from './scope'
import { useTray } from './tray'

const { edits, remove, send } = useTray()
const { query } = useScope()
const open = ref(false)
const title = ref('')
const busy = ref(false)
const wrong = ref('')
const sent = ref('')
let key = crypto.randomUUID()

const packages = computed(() => new Set(edits.value.map((e) => e.package)).size)

async function act() {
  if (!open.value) {
    open.value = true
    return
  }
  if (!title.value.trim()) {
    wrong.value = 'Say in a line what this is about.'
    return
  }
  busy.value = true
  wrong.value = ''
  try {
    sent.value = await send(title.value.trim(), key)
    key = crypto.randomUUID()
    title.value = ''
    open.value = false
  } catch (e) {
    wrong.value = words(e)
  } finally {
    busy.value = false
  }
}
async function drop(id: string) {
  try {
    await remove(id)
  } catch (e) {
    wrong.value = words(e)
  }
}
</script>

<template>
  <footer class="tray" aria-label="Tray">
    <div v-if="open && edits.length" class="edits">
      <ol>
        <li v-for="e in edits" :key="e.id">
          <PackageName :name="e.package" />
          <span class="second"
            >{{ fieldWord[e.field] }}{{ e.scopeKind === 'everywhere' ? '' : ` for ${e.scopeName}` }}</span
          >
          <span><EditValue :field="e.field" :value="e.value" :build="e.buildName" /></span>
          <span class="second">{{ e.words ? `returned: “${e.words}”` : e.reason }}</span>
          <button class="link" :aria-label="`Take the edit of ${e.package} out`" @click="drop(e.id)">take out</button>
        </li>
      </ol>
      <label class="title">
        <span>What this is about</span>
        <input v-model="title" maxlength="200" placeholder="Lyra 5 on 15.0.0: lock pictures" @keydown.enter="act" />
      </label>
      <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    </div>
    <div class="bar">
      <button class="handle" :aria-expanded="open" :disabled="!edits.length" @click="open = !open">
        <b>Tray</b>
        <template v-if="edits.length">
          <span>{{ count(edits.length, 'edit') }} not sent</span>
          <span class="dim">on {{ count(packages, 'package') }}</span>
        </template>
        <span v-else class="dim">empty; every edit you make is collected here</span>
      </button>
      <span v-if="sent && !edits.length" class="dim" role="status"
        >Sent. <router-link :to="{ path: `/review/${sent}`, query }">See the change</router-link></span
      >
      <button v-if="edits.length" class="go" :disabled="busy" @click="act">
        {{ open ? 'Send' : 'Look and send' }}
      </button>
    </div>
  </footer>
</template>

<style scoped>
.tray {
  grid-column: 1 / -1;
}
.bar {
  display: flex;
  align-items: center;
  gap: 18px;
  height: 36px;
  padding: 0 14px;
  background: var(--bar);
  color: var(--bar-ink);
}
.handle {
  display: flex;
  gap: 18px;
  height: 100%;
  align-items: center;
  flex: 1;
}
.handle:disabled {
  opacity: 1;
}
.dim {
  color: var(--bar-second);
}
.go {
  background: var(--bar-ink);
  color: var(--bar);
  font-weight: 600;
  padding: 3px 14px;
}
.edits {
  background: var(--sheet);
  border-top: 1px solid var(--ink);
  padding: 6px 14px 12px;
  max-height: 46vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: minmax(160px, 260px) 150px minmax(0, 1fr) minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
  min-height: 30px;
  padding: 3px 0;
  border-bottom: 1px solid var(--row);
}
.title {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 10px;
  font-weight: 600;
}
.title input {
  flex: 1;
  border: 1px solid var(--ink);
  background: var(--sheet);
  color: inherit;
  font: inherit;
  font-weight: 400;
  padding: 4px 8px;
}
</style>
