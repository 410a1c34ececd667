<script setup lang="ts">
// A phone that no list is for: which apps it has is read here, and goes along with
// the form that stands below, where somebody wants it to.
import { computed, onMounted, ref } from 'vue'
import AttachPart from './AttachPart.vue'
import { Bench, standIns, type LooseStandIn } from './bench'
import PhoneAlong from './PhoneAlong.vue'
import ReadyPart from './ReadyPart.vue'
import { t } from './words'

const props = defineProps<{ salt: string }>()
const bench = new Bench(props.salt)
const { view } = bench
const place = ref<'' | 'ready' | 'attach' | 'read'>('')
const pretend = ref<LooseStandIn[]>([])
const wrong = ref('')
const can = computed(() => window.isSecureContext && ('usb' in navigator || pretend.value.length > 0))
onMounted(async () => (pretend.value = await standIns()))

async function attempt(what: () => Promise<unknown>, then: typeof place.value) {
  wrong.value = ''
  try {
    await what()
    place.value = then
  } catch (e) {
    const words = e instanceof Error ? e.message : String(e)
    wrong.value = words === 'taken' ? t('lack.taken') : t('next.wrong', { why: words })
  }
}
</script>

<template>
  <template v-if="can">
    <p v-if="wrong" class="note harm" role="alert">{{ wrong }}</p>
    <template v-if="!place">
      <button class="press" @click="attempt(() => bench.start(), 'ready')">{{ t('tell.read') }}</button>
      <p class="second">{{ t('tell.readHow') }}</p>
    </template>
    <ReadyPart v-else-if="place === 'ready'" @next="place = 'attach'" />
    <AttachPart
      v-else-if="place === 'attach'"
      :bench="bench"
      :view="view"
      :pretend="pretend"
      @picked="(handle) => attempt(() => bench.readOnly(handle), 'read')"
    />
    <PhoneAlong v-else :bench="bench" form="told" />
  </template>
</template>
