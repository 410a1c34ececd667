<script setup lang="ts">
// Choosing a phone, and what to do about one that is not ready. A stand-in of the
// sample world has a screen of its own here.
import { computed, onUnmounted, ref } from 'vue'
import { hand, standIns, type Bench, type LooseStandIn } from './bench'
import type { Phone, View } from './messages'
import { t, type Key } from './words'

const props = defineProps<{ bench: Bench; view: View; pretend: LooseStandIn[] }>()
const said = ref<'' | 'none' | 'refused'>('')
const usb = 'usb' in navigator
const troubled = computed(() => props.view.phones.filter((p) => !p.ready))
const here = computed(() => props.view.phones.some((p) => p.ready))
const pretended = computed(() => attached.value || props.view.phones.some((p) => p.address.startsWith('stand-in:')))
const attached = ref(false)

async function pick() {
  const came = await props.bench.pick()
  said.value = came === 'picked' ? '' : came
}

const words: Record<string, Key> = {
  unauthorized: 'state.unauthorized',
  authorizing: 'state.unauthorized',
  connecting: 'state.connecting',
  offline: 'state.offline',
  claimed: 'state.claimed',
  detached: 'state.claimed',
  'no driver': 'state.noDriver',
  'no permissions': 'state.noRight',
  refused: 'state.refused',
}
const say = (p: Phone) => t(words[p.state] ?? 'state.other', { words: `${p.wrong}. ${p.next}` })

// The pretend phone asks its owner, too.
const asks = ref(false)
const timer = setInterval(async () => {
  if (props.pretend.length && troubled.value.length) asks.value = (await standIns()).some((s) => s.asking > 0)
  else asks.value = false
}, 500)
onUnmounted(() => clearInterval(timer))

async function tryIt(s: LooseStandIn) {
  attached.value = true
  await props.bench.attach(s)
}
function away() {
  attached.value = false
  props.bench.detach()
}
</script>

<template>
  <p v-if="usb && !here">
    <button class="go-on" @click="pick">{{ t('attach.pick') }}</button>
    <span class="second">{{ t('attach.how') }}</span>
  </p>
  <p v-if="said" class="note" role="status">{{ t(`attach.${said}`) }}</p>
  <p v-for="p in troubled" :key="p.handle" class="note" role="status">
    <b>{{ p.name }}</b> {{ say(p) }}
    <button class="press" @click="bench.again()">{{ t('attach.again') }}</button>
  </p>
  <div v-if="asks" class="screen" role="group" :aria-label="t('attach.hand')">
    <b>{{ t('attach.hand') }}</b>
    <button class="go-on" @click="hand(pretend[0]!.number, 'accept')">{{ t('attach.allow') }}</button>
    <button class="press" @click="hand(pretend[0]!.number, 'refuse')">{{ t('attach.deny') }}</button>
  </div>
  <p v-if="pretend.length && !pretended">
    <button class="press" @click="tryIt(pretend[0]!)">{{ t('attach.standIn') }}</button>
  </p>
  <p v-else-if="pretend.length && troubled.length">
    <button class="press" @click="away">{{ t('attach.remove') }}</button>
  </p>
</template>

<style scoped>
.screen {
  border: 2px solid var(--ink);
  border-radius: 16px;
  display: grid;
  gap: 4px;
  inline-size: 220px;
  margin: 12px 0;
  padding: 22px 16px;
}
</style>
