<script setup lang="ts">
// What the phone has, to go along with a report: all of it is shown, and nothing of
// it is sent but with the form.
import { onMounted, ref } from 'vue'
import type { Bench } from './bench'
import type { Captured } from './messages'
import { t } from './words'

// form is the id of the form that it belongs to, where that stands elsewhere.
const props = defineProps<{ bench: Bench; form?: string }>()
const read = ref<Captured>()
const withPhone = ref(!!props.form)
onMounted(async () => (read.value = await props.bench.captured()))
</script>

<template>
  <template v-if="read">
    <p role="status">{{ t('tell.wasRead', { name: read.name, n: read.packages }) }}</p>
    <p>
      <label><input v-model="withPhone" type="checkbox" /> {{ t('tell.withPhone') }}</label>
    </p>
    <template v-if="withPhone">
      <details>
        <summary>{{ t('tell.phoneIs') }}</summary>
        <textarea
          name="capture"
          rows="10"
          readonly
          dir="ltr"
          :form="form"
          :value="read.text"
          :aria-label="t('tell.phoneIs')"
        />
      </details>
      <template v-if="form">
        <input type="hidden" name="phone" :form="form" :value="read.told" />
        <p class="second">
          {{ t('tell.firmware') }} <code dir="ltr">{{ read.fingerprint }}</code> <code dir="ltr">{{ read.told }}</code>
        </p>
      </template>
    </template>
  </template>
</template>
