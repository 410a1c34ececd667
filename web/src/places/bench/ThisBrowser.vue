<script setup lang="ts">
// This browser as a bench, at the head of the others: what can be attached to
// it, and what is.
import { computed, onMounted, ref, watch } from 'vue'
import { unusable } from '@/usb/messages'
import { placesOf, type Bench } from './bench'
import ComputerHead from './ComputerHead.vue'
import PhoneLine from './PhoneLine.vue'
import type { RunLine } from './run'
import { lack, useThisBrowser, type LooseStandIn } from './thisBrowser'

const props = defineProps<{ benches: Bench[]; runOn: (phone: string | undefined) => RunLine | undefined }>()
const at = defineModel<string>('at')
const { state, id, wrong, standIns, attached, start, attach, attachStandIn, detachStandIn, resume, again } =
  useThisBrowser()
const missing = lack()
const bench = computed(() => (state.value === 'on' ? props.benches.find((b) => b.id === id.value) : undefined))
const places = computed(() => (bench.value ? placesOf(bench.value) : []))
const free = computed(() =>
  // No bench runs in a page that is not safe: not with a stand-in either.
  missing === 'secure' ? [] : standIns.value.filter((s) => state.value !== 'on' || !attached.value.includes(s.number)),
)
const troubled = computed(() => places.value.some((p) => unusable.includes(p.phone?.state ?? '')))
const said = ref('')

// What somebody has just attached is what they want to look at.
let before: Set<string> | undefined
function expectNew() {
  before = new Set(places.value.map((p) => p.key))
}
watch(places, (list) => {
  const fresh = before && list.find((p) => !before!.has(p.key))
  if (!fresh) return
  at.value = fresh.key
  before = undefined
})
async function pick() {
  expectNew()
  said.value = await attach()
}
function pickStandIn(s: LooseStandIn) {
  expectNew()
  void attachStandIn(s)
}
onMounted(() => void resume().catch(() => undefined)) // what is wrong stands where it is attached
</script>

<template>
  <div class="computer" role="group" aria-label="This browser">
    <ComputerHead
      name="This browser"
      :kind="state === 'on' ? 'USB' : state === 'starting' ? 'starting' : 'nothing attached'"
    />
    <p v-if="missing === 'secure'" class="notice">
      <b>This page is not reached safely.</b> Browsers hand phones only to pages on https, or on localhost. Open Roster
      under such an address, or start <span class="mono">roster bench</span> on the computer with the phone.
    </p>
    <p v-else-if="missing === 'usb'" class="notice">
      <b>This browser has no USB.</b> Browsers built on Chromium have it, on computers and on Android. Otherwise start
      <span class="mono">roster bench</span> on this computer.
    </p>
    <p v-if="wrong" class="notice bad" role="alert">
      {{ wrong }} <button class="link" @click="start()">Begin anew</button>
    </p>
    <p v-else-if="bench?.view.wrong" class="notice" role="status">
      <b>{{ bench.view.wrong }}</b> {{ bench.view.next }}
    </p>
    <ul>
      <li v-for="p in places" :key="p.key">
        <PhoneLine :place="p" :run="runOn(p.phone?.mark)" :picked="p.key === at" @pick="at = p.key" />
      </li>
    </ul>
    <div class="attach">
      <button v-if="!missing" class="act" :disabled="state === 'starting'" @click="pick">Attach a phone</button>
      <button v-if="troubled" class="act" @click="again()">Try again</button>
      <button
        v-for="s in free"
        :key="s.number"
        class="act"
        :disabled="state === 'starting'"
        :title="s.name"
        @click="pickStandIn(s)"
      >
        Attach a stand-in
      </button>
      <button v-for="n in state === 'on' ? attached : []" :key="n" class="link second" @click="detachStandIn(n)">
        detach the stand-in
      </button>
    </div>
    <p v-if="said" class="ochre said" role="status">{{ said }}</p>
    <ol v-if="bench?.view.try.length && !places.length" class="second said" aria-label="What to try">
      <li v-for="t in bench.view.try" :key="t">{{ t }}</li>
    </ol>
    <p v-else-if="!places.length && !missing" class="second said">
      Plug it in, switch USB debugging on, attach, and accept on its screen. Nothing is installed.
    </p>
    <p v-if="!missing" class="faint said">
      By cable only. A television, or a phone on the network, needs a bench with adb.
    </p>
  </div>
</template>

<style scoped>
b {
  font-weight: 650;
}
.attach {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding: 10px 14px 4px;
}
.said {
  padding: 2px 14px;
}
ol {
  margin-left: 16px;
  list-style: decimal;
}
.computer {
  border-bottom: 1px solid var(--hair);
  padding-bottom: 8px;
}
</style>
