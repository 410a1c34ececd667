<script setup lang="ts">
import { computed } from 'vue'
import type { Phone } from './bench'
import type { Capturing, Progress } from './capture'
import StoredCapture from './StoredCapture.vue'

const props = defineProps<{ phone: Phone; capture: Capturing }>()
const mine = computed(() => props.capture.serial.value === props.phone.serial)
const job = computed(() => (mine.value ? props.capture.job.value : undefined))
const running = computed(() => job.value?.state === 'running')
const progress = computed(() => job.value?.progress as Progress | undefined)
const megabytes = computed(() => ((progress.value?.bytes ?? 0) / 1e6).toFixed(1))
</script>

<template>
  <section aria-label="Capture">
    <header>
      <div>
        <h1>{{ phone.name }}</h1>
        <p class="second">
          {{
            phone.ready
              ? 'A capture asks the phone what it has; it takes a few seconds and changes nothing.'
              : phone.wrong
          }}
        </p>
      </div>
      <button v-if="running" class="act" @click="capture.cancel()">Cancel</button>
      <button v-else class="act first" :disabled="!phone.ready" @click="capture.start(phone.serial)">
        Capture <kbd>c</kbd>
      </button>
    </header>
    <div
      v-if="running"
      class="bar"
      role="progressbar"
      aria-label="Capture"
      :aria-valuenow="progress?.step ?? 0"
      aria-valuemin="0"
      :aria-valuemax="progress?.steps || 6"
    >
      <i :style="{ width: `${(100 * ((progress?.step ?? 1) - 0.5)) / (progress?.steps || 6)}%` }" />
    </div>
    <p v-if="running" class="now" role="status">
      <template v-if="progress?.steps"
        >Asking for {{ progress.asking }}, {{ progress.step }} of {{ progress.steps }}. {{ megabytes }} MB so
        far.</template
      >
      <template v-else>Reaching the phone.</template>
    </p>
    <p v-if="mine && capture.wrong.value" class="notice bad" role="alert">{{ capture.wrong.value }}</p>
    <StoredCapture v-if="mine && capture.stored.value" :capture="capture.stored.value" :summary="job?.result" />
    <div v-else-if="!running && !phone.ready" class="empty">
      <h1>It {{ phone.wrong }}</h1>
      <p class="second">{{ phone.next }}</p>
    </div>
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
.now {
  padding: 12px 18px;
}
</style>
