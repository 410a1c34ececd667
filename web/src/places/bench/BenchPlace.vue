<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useKeys } from '@/composables/keys'
import KeyCap from '@/ui/KeyCap.vue'
import { placesOf, useBenches, type Place } from './bench'
import BenchFrame from './BenchFrame.vue'
import FilesSheet from './FilesSheet.vue'
import PhoneSheet from './PhoneSheet.vue'
import RunList from './RunList.vue'
import SavedList from './SavedList.vue'

const { benches } = useBenches()
const route = useRoute()
const router = useRouter()
const places = computed<Place[]>(() => (benches.value ?? []).flatMap(placesOf))
// What is chosen is chosen at once: a key that is pressed before the address
// has followed must not go to the phone before.
const inAddress = () => (typeof route.query.at === 'string' ? route.query.at : undefined)
const at = ref(inAddress())
watch(at, (key) => key !== inAddress() && router.replace({ query: { ...route.query, at: key } }))
watch(inAddress, (key) => {
  if (key) at.value = key
})
watch(
  places,
  (list) => {
    const first = list.find((p) => p.phone?.ready) ?? list[0]
    if (!at.value && first) at.value = first.key // a phone that goes away stays chosen: it comes back
  },
  { immediate: true },
)
const here = computed(() => places.value.find((p) => p.key === at.value))
const sheet = ref<InstanceType<typeof PhoneSheet>>()

function move(by: number) {
  const i = places.value.findIndex((p) => p.key === at.value)
  at.value = places.value[Math.max(0, Math.min(i + by, places.value.length - 1))]?.key ?? at.value
}
useKeys([
  { keys: ['j', 'ArrowDown'], does: 'next phone', run: () => move(1) },
  { keys: ['k', 'ArrowUp'], does: 'phone before', run: () => move(-1) },
  { keys: ['c'], does: 'capture the phone', run: () => sheet.value?.capture() },
  { keys: ['w'], does: 'watch which app is opened', run: () => sheet.value?.watch() },
])
</script>

<template>
  <BenchFrame v-model:at="at">
    <FilesSheet v-if="at === 'files'" class="sheet" />
    <RunList v-else-if="at === 'runs'" class="sheet" />
    <SavedList v-else-if="at === 'saved'" class="sheet" />
    <PhoneSheet v-else-if="here" ref="sheet" :key="here.key" class="sheet" :place="here" />
    <div v-else-if="benches" class="sheet">
      <div v-if="at" class="empty">
        <h1>This phone has gone</h1>
        <p class="second">Plug it in again, or wait: a phone that restarts is back in a minute.</p>
      </div>
      <div v-else class="empty">
        <h1>Attach a phone</h1>
        <p class="second">
          Turn on USB debugging in the phone's developer options, plug it in, and accept this computer on its screen. Or
          send in a file that the phone made.
        </p>
        <button class="act" @click="at = 'files'">From files</button>
      </div>
    </div>
  </BenchFrame>
  <Teleport defer to="#margin">
    <h1>{{ here?.phone ? 'This phone, now' : 'Bench' }}</h1>
    <template v-if="here?.phone">
      <p class="second">{{ here.phone.ready ? 'answers' : here.phone.wrong }}</p>
      <template v-if="here.phone.mark">
        <h2>Told apart by</h2>
        <p class="mono">{{ here.phone.mark.slice(0, 12) }}</p>
        <p v-if="here.phone.label" class="second">
          A keyed hash of its label, <b>{{ here.phone.label }}</b>: it tells no serial number of its own.
        </p>
        <p v-else class="second">A keyed hash of its serial number. The number itself is never stored.</p>
      </template>
    </template>
    <h2>What a run does</h2>
    <p>
      It is rehearsed first and changes nothing then. Each step is written down before it is sent: pull the cable, and
      it can go on or be put back.
    </p>
    <h2>What a capture asks</h2>
    <p>
      Who the phone is, which packages it knows, which are there and switched on, what each one is, and who holds which
      job. It reads; it changes nothing.
    </p>
    <h2>What it never asks</h2>
    <p>Pictures, messages, contacts, accounts, where the phone has been.</p>
    <div class="keys">
      <span><KeyCap of="c" /> capture</span><span><KeyCap of="w" /> watch</span
      ><span><KeyCap of="j" /> <KeyCap of="k" /> phones</span>
    </div>
  </Teleport>
</template>
