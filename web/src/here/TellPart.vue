<script setup lang="ts">
// What happened, for whoever publishes the release: a form that shows all of what
// it sends, and sends it only when it is pressed.
import { onMounted, ref } from 'vue'
import type { Bench } from './bench'
import type { Run } from './messages'
import PhoneAlong from './PhoneAlong.vue'
import { t } from './words'

const props = defineProps<{ run: Run; bench: Bench; read: boolean; tell: string }>()
const outcomes = ['worked', 'missing', 'broken', 'would-not-go', 'came-back'] as const
const outcome = ref<(typeof outcomes)[number]>()
const withLog = ref(true)
const log = ref('')
onMounted(async () => (log.value = await props.bench.log(props.run.id)))
</script>

<template>
  <details class="tell">
    <summary>{{ t('tell.title') }}</summary>
    <form method="post" :action="tell" enctype="multipart/form-data" target="_blank" rel="noopener">
      <p>{{ t('tell.why') }}</p>
      <input type="hidden" name="release" :value="run.path" />
      <fieldset>
        <legend>{{ t('tell.title') }}</legend>
        <p v-for="o in outcomes" :key="o">
          <label
            ><input v-model="outcome" type="radio" name="outcome" :value="o" required /> {{ t(`tell.${o}`) }}</label
          >
        </p>
      </fieldset>
      <p v-if="outcome && outcome !== 'worked'">
        <label>{{ t('tell.what') }} <input type="text" name="function" maxlength="60" /></label>
      </p>
      <p>
        <label for="tell-words">{{ t('tell.words') }}</label>
        <textarea id="tell-words" name="words" rows="4" maxlength="4000" />
      </p>
      <p class="second">
        {{ t('tell.firmware') }}
        <code>{{ run.fingerprint }}</code> <code>{{ run.told }}</code>
      </p>
      <input type="hidden" name="fingerprint" :value="run.fingerprint" />
      <input type="hidden" name="phone" :value="run.told" />
      <p>
        <label><input v-model="withLog" type="checkbox" /> {{ t('tell.withLog') }}</label>
        <textarea v-if="withLog" name="log" rows="5" readonly :value="log" :aria-label="t('tell.log')" />
      </p>
      <PhoneAlong v-if="read" :bench="bench" />
      <button class="press">{{ t('tell.send') }}</button>
    </form>
  </details>
</template>
