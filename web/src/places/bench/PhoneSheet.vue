<script setup lang="ts">
import { touch } from '@/api/stale'
import KeyCap from '@/ui/KeyCap.vue'
import { computed, ref } from 'vue'
import CaptureDone from './CaptureDone.vue'
import FitList from './FitList.vue'
import HandPanel from './HandPanel.vue'
import LabelForm from './LabelForm.vue'
import MeasurePanel from './MeasurePanel.vue'
import PhoneDrawing from './PhoneDrawing.vue'
import WatchPanel from './WatchPanel.vue'
import { firmware, type Place } from './bench'
import { useJob } from './job'
import { megabytes } from '@/format/numbers'

interface Progress {
  step: number
  steps: number
  asking: string
  bytes: number
}
interface Result {
  id?: string
  known?: boolean
}

const props = defineProps<{ place: Place }>()
const phone = computed(() => props.place.phone)
const host = computed(() => (props.place.bench.personId ? 'the browser' : 'adb'))
const job = useJob<Progress, Result>(() => {
  void touch('captures')
})
const { busy, progress, result, wrong } = job
const panel = ref<InstanceType<typeof WatchPanel>>()

function capture() {
  if (phone.value?.ready) void job.start(props.place.bench.id, { kind: 'capture', phone: phone.value.handle })
}
const watch = () => panel.value?.toggle()
defineExpose({ capture, watch })
</script>

<template>
  <section aria-label="Phone">
    <header>
      <div>
        <h1>{{ phone?.name ?? place.standIn?.name }}</h1>
        <p class="second">
          <template v-if="phone?.ready">{{ phone.version ? firmware(phone) : 'asking who it is' }}</template>
          <template v-else>{{ phone?.wrong ?? `${host} does not see it` }}</template>
        </p>
      </div>
      <button v-if="busy" class="act" @click="job.cancel()">Cancel</button>
      <button v-else class="act first" :disabled="!phone?.ready" @click="capture">Capture <KeyCap of="c" /></button>
    </header>
    <div
      v-if="busy"
      class="bar"
      role="progressbar"
      aria-label="Capture"
      :aria-valuenow="progress?.step ?? 0"
      aria-valuemin="0"
      :aria-valuemax="progress?.steps || 4"
    >
      <i :style="{ width: `${(100 * ((progress?.step ?? 1) - 0.5)) / (progress?.steps || 4)}%` }" />
    </div>
    <p v-if="busy" class="line" role="status">
      <template v-if="progress?.steps"
        >Asking for {{ progress.asking }}, {{ progress.step }} of {{ progress.steps }}.
        {{ megabytes(progress.bytes) }} so far.</template
      >
      <template v-else>Reaching the phone.</template>
    </p>
    <p v-if="job.job.value?.state === 'cancelled'" class="line second" role="status">
      Stopped by you; nothing was stored.
    </p>
    <p v-if="wrong" class="notice bad" role="alert">{{ wrong }}</p>
    <CaptureDone v-if="!busy && result?.id" :id="result.id" :key="String(job.job.value?.id)" :known="result.known" />
    <div v-if="phone && !phone.ready" class="trouble">
      <PhoneDrawing :state="phone.state" />
      <div>
        <h2>It {{ phone.wrong }}</h2>
        <p>{{ phone.next }}</p>
      </div>
    </div>
    <div v-else-if="!phone" class="trouble">
      <PhoneDrawing :state="place.standIn?.stuck ? 'recovery' : 'none'" />
      <div>
        <h2>{{ place.standIn?.stuck ? 'It does not start' : 'Its cable is out' }}</h2>
        <p>{{ place.standIn?.stuck || `Plug it in: ${host} sees it by itself then.` }}</p>
      </div>
    </div>
    <LabelForm v-if="phone?.ready && phone.unnumbered" :bench="place.bench.id" :phone="phone" />
    <FitList v-if="phone?.ready && phone.mark" :bench="place.bench.id" :phone="phone" />
    <MeasurePanel v-if="phone?.ready && phone.mark" :key="phone.mark" :bench="place.bench.id" :phone="phone" />
    <WatchPanel v-if="phone?.ready" ref="panel" :bench="place.bench.id" :phone="phone.handle" />
    <HandPanel v-if="place.standIn" :bench="place.bench.id" :stand-in="place.standIn" />
  </section>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 20px;
  padding: 12px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.bar {
  height: 4px;
  background: var(--hair);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--ink);
  transition: width 0.2s;
}
.line {
  padding: 12px 18px;
}
.trouble {
  display: flex;
  gap: 20px;
  align-items: start;
  padding: 22px 18px;
  border-bottom: 1px solid var(--hair);
}
.trouble h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
.trouble p {
  max-width: 460px;
}
</style>
