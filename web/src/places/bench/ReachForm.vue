<script setup lang="ts">
// Reaching a phone over the network: by its address, or first by pairing.
import { computed, ref } from 'vue'
import type { Bench } from './bench'
import { useJob } from './job'

const props = defineProps<{ bench: Bench }>()
const address = ref('')
const code = ref('')
const pairing = ref(false)
const said = ref('')
const job = useJob<unknown, { words?: string }>((result) => (said.value = result?.words ?? ''))
const words = computed(() => job.wrong.value || said.value)

function reach() {
  said.value = ''
  const to = address.value.trim()
  void job.start(
    props.bench.id,
    pairing.value ? { kind: 'pair', address: to, code: code.value.trim() } : { kind: 'connect', address: to },
  )
}
</script>

<template>
  <form class="reach" @submit.prevent="reach">
    <label :for="`address-${bench.id}`">By network address</label>
    <div>
      <input
        :id="`address-${bench.id}`"
        v-model="address"
        class="field mono"
        :placeholder="pairing ? '192.0.2.7:37123' : '192.0.2.7:5555'"
        maxlength="200"
      />
      <button class="act" :disabled="job.busy.value || !address.trim() || (pairing && !/^\d{6}$/.test(code.trim()))">
        {{ pairing ? 'Pair' : 'Connect' }}
      </button>
    </div>
    <div v-if="pairing">
      <input
        v-model="code"
        class="field mono"
        inputmode="numeric"
        placeholder="six digits"
        maxlength="6"
        aria-label="Code on the phone's screen"
      />
    </div>
    <button type="button" class="link second" @click="pairing = !pairing">
      {{ pairing ? 'without a code' : 'the phone shows a pairing code' }}
    </button>
    <p v-if="words" :class="job.wrong.value ? 'ochre' : 'second'" role="status">{{ words }}</p>
  </form>
</template>

<style scoped>
.reach {
  padding: 10px 14px;
  border-bottom: 1px solid var(--hair);
}
label {
  font-weight: 650;
  display: block;
  margin-bottom: 4px;
}
div {
  display: flex;
  gap: 6px;
  margin-bottom: 4px;
}
input {
  flex: 1;
}
</style>
