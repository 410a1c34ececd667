<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, ask, words } from '@/api/client'
import { useKeys } from '@/shell/keys'
import { useBench } from './bench'
import CaptureSheet from './CaptureSheet.vue'
import { useCapture } from './capture'
import FilesSheet from './FilesSheet.vue'

const { view } = useBench()
const phones = computed(() => view.value?.phones ?? [])
const at = ref<string>()
watch(
  phones,
  (list) => {
    if (at.value !== 'files' && !list.some((p) => p.serial === at.value)) at.value = list[0]?.serial
  },
  { immediate: true },
)
const phone = computed(() => phones.value.find((p) => p.serial === at.value))
const capture = useCapture()

const address = ref('')
const said = ref('')
const busy = ref(false)
async function connect() {
  busy.value = true
  said.value = ''
  try {
    said.value = (await ask(api.POST('/api/v1/bench/connect', { body: { address: address.value.trim() } }))).words
  } catch (e) {
    said.value = words(e)
  } finally {
    busy.value = false
  }
}
function move(by: number) {
  const i = phones.value.findIndex((p) => p.serial === at.value)
  at.value = phones.value[Math.max(0, Math.min(i + by, phones.value.length - 1))]?.serial ?? at.value
}
useKeys([
  { keys: ['j', 'ArrowDown'], does: 'next phone', run: () => move(1) },
  { keys: ['k', 'ArrowUp'], does: 'phone before', run: () => move(-1) },
  { keys: ['c'], does: 'capture the phone', run: () => phone.value?.ready && void capture.start(phone.value.serial) },
])
</script>

<template>
  <div class="bench">
    <section class="phones" aria-label="Phones">
      <p class="where second">this computer{{ view?.version ? ` · adb ${view.version}, ${view.address}` : '' }}</p>
      <p v-if="view?.wrong" class="notice" role="status">
        <b>{{ view.wrong }}</b> {{ view.next }}
      </p>
      <ul>
        <li v-for="p in phones" :key="p.serial">
          <button :class="{ picked: p.serial === at }" :aria-pressed="p.serial === at" @click="at = p.serial">
            <span
              ><b>{{ p.name }}</b> <span class="second">{{ p.maker }}</span></span
            >
            <span v-if="p.ready" class="second">{{
              p.version ? `${p.carrier ? p.carrier + ' ' : ''}${p.version}, Android ${p.release}` : 'asking who it is'
            }}</span>
            <template v-else>
              <span class="ochre">{{ p.wrong }}</span>
              <span class="second">{{ p.next }}</span>
            </template>
            <span class="mono faint">{{ p.serial }}</span>
          </button>
        </li>
      </ul>
      <div v-if="view && !view.wrong && !phones.length" class="none">
        <b>No phone is listed</b>
        <p class="second">
          Try in this order: another cable, one that carries data; USB mode “File transfer” on the phone; USB debugging
          in its developer options.
        </p>
      </div>
      <form class="connect" @submit.prevent="connect">
        <label for="address">By network address</label>
        <div>
          <input id="address" v-model="address" class="mono" placeholder="192.0.2.7:5555" maxlength="200" />
          <button class="act" :disabled="busy || !address.trim()">Connect</button>
        </div>
        <p v-if="said" class="second" role="status">{{ said }}</p>
      </form>
      <button class="files" :class="{ picked: at === 'files' }" @click="at = 'files'">
        <b>From files</b>
        <span class="second">outputs that somebody saved or sent</span>
      </button>
    </section>
    <FilesSheet v-if="at === 'files'" class="sheet" />
    <CaptureSheet v-else-if="phone" :key="phone.serial" class="sheet" :phone="phone" :capture="capture" />
    <div v-else class="sheet">
      <div class="empty">
        <h1>Attach a phone</h1>
        <p class="second">
          Turn on USB debugging in the phone's developer options, plug it in, and accept this computer on its screen.
        </p>
      </div>
    </div>
  </div>
  <Teleport defer to="#margin">
    <h1>{{ phone ? 'This phone, now' : 'Bench' }}</h1>
    <template v-if="phone">
      <p class="second">{{ phone.ready ? 'answers' : phone.wrong }}</p>
      <h2>Told apart by</h2>
      <p v-if="phone.mark" class="mono">{{ phone.mark.slice(0, 12) }}</p>
      <p class="second">A keyed hash of its serial number. The number itself is never stored.</p>
    </template>
    <h2>What a capture asks</h2>
    <p>
      Who the phone is, which packages it knows, which are there and switched on, and what each one is. It reads; it
      changes nothing.
    </p>
    <h2>What it never asks</h2>
    <p>Pictures, messages, contacts, accounts, where the phone has been.</p>
    <div class="keys">
      <span><kbd>c</kbd> capture</span><span><kbd>j</kbd> <kbd>k</kbd> phones</span>
    </div>
  </Teleport>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr);
  height: 100%;
  min-height: 0;
}
.phones {
  border-right: 1px solid var(--hair);
  overflow: auto;
}
.where,
.connect,
.none,
.files {
  padding: 10px 14px;
  border-bottom: 1px solid var(--hair);
}
li button,
.files {
  display: flex;
  flex-direction: column;
  width: 100%;
  padding: 10px 14px;
  border-bottom: 1px solid var(--hair);
  text-align: left;
}
li button:focus-visible,
.files:focus-visible {
  outline-offset: -2px;
}
.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
b {
  font-weight: 650;
}
.connect label {
  font-weight: 650;
  display: block;
  margin-bottom: 4px;
}
.connect div {
  display: flex;
  gap: 6px;
}
.connect input {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--faint);
  background: var(--sheet);
  color: inherit;
  padding: 3px 6px;
}
.connect input::placeholder {
  color: var(--faint);
}
.sheet {
  overflow: auto;
  min-width: 0;
}
</style>
