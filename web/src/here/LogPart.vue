<script setup lang="ts">
// A log that was saved on another computer is taken up on this one.
import { computed, ref } from 'vue'
import type { Bench, LooseStandIn } from './bench'
import type { View } from './messages'
import PhoneBox from './PhoneBox.vue'
import { t } from './words'

const props = defineProps<{ bench: Bench; view: View; pretend: LooseStandIn[] }>()
const emit = defineEmits<{ open: [id: string] }>()
const ready = computed(() => props.view.phones.filter((p) => p.ready && p.mark))
const wrong = ref('')
const leftOut = ref<string[]>([])
const taken = ref('')

async function take(e: Event, handle: string) {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (!file) return
  wrong.value = ''
  leftOut.value = []
  try {
    // A log is short; what is longer is none, and is not read whole.
    const log = await props.bench.fromLog(await file.slice(0, 2_000_000).text(), handle)
    leftOut.value = log.leftOut
    taken.value = log.id
    if (!log.leftOut.length) emit('open', log.id)
  } catch (err) {
    wrong.value = err instanceof Error ? err.message : String(err)
  }
}
</script>

<template>
  <h2>{{ t('log.title') }}</h2>
  <p>{{ t('log.how') }}</p>
  <PhoneBox :bench="bench" :view="view" :pretend="pretend" />
  <ul class="rows">
    <li v-for="p in ready" :key="p.handle">
      <b>{{ p.name }}</b>
      <label
        >{{ t('log.file') }} <input type="file" accept=".log,.txt,text/plain" @change="take($event, p.handle)"
      /></label>
    </li>
  </ul>
  <p v-if="wrong" class="note harm" role="alert">{{ t('next.wrong', { why: wrong }) }}</p>
  <template v-if="leftOut.length">
    <p>{{ t('log.leftOut') }}</p>
    <ul>
      <li v-for="l in leftOut" :key="l">{{ l }}</li>
    </ul>
    <button class="go-on" @click="$emit('open', taken)">{{ t('run.goOn') }}</button>
  </template>
</template>
