<script setup lang="ts">
// When a sign-in ends by itself, where technicians may have a bench reach, and how
// long what benches saved stays.
import { ref, watch } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import RulesForm from './RulesForm.vue'

const { etag, query } = useHeld('installation-rules', () => api.GET('/api/v1/installation-rules'))
const hours = ref(0)
const networks = ref('')
const backups = ref(0)
watch(
  () => query.data.value,
  (now) => {
    if (!now) return
    hours.value = now.idleHours
    networks.value = now.benchNetworks.join('\n')
    backups.value = now.backupDays
  },
  { immediate: true },
)
const { wrong, said, run } = useChange()
const hold = () =>
  run(async () => {
    await ask(
      api.PUT('/api/v1/installation-rules', {
        params: { header: { 'If-Match': etag.value } },
        body: {
          idleHours: hours.value,
          benchNetworks: networks.value.split(/[\s,]+/).filter(Boolean),
          backupDays: backups.value,
        },
      }),
    )
    await query.refetch()
  }, 'It holds from now on.')
</script>

<template>
  <RulesForm
    name="Rules of the installation"
    title="Ways in, and ways out"
    about="How long a sign-in lasts, what benches may reach for whom, and how long they keep what they saved."
    legend="For everybody"
    :ready="!!query.data.value"
    :failed="query.error.value"
    :wrong="wrong"
    :said="said"
    @hold="hold"
  >
    <label>
      <span>a sign-in ends after so many hours in which nobody did anything with it</span>
      <input v-model.number="hours" class="field" type="number" min="1" max="336" required />
    </label>
    <label>
      <span
        >what was saved of a phone is deleted after so many days, 0 for never; nothing that is kept, or that an open run
        or a check list may need</span
      >
      <input v-model.number="backups" class="field" type="number" min="0" max="3650" required />
    </label>
    <label class="networks">
      <span
        >networks in which technicians may have a bench connect to phones by their address, one a line; maintainers may
        anywhere</span
      >
      <textarea
        v-model="networks"
        class="field mono"
        rows="3"
        spellcheck="false"
        placeholder="192.0.2.0/24"
        aria-label="Networks"
      ></textarea>
    </label>
  </RulesForm>
</template>

<style scoped>
label.networks {
  grid-template-columns: 460px 220px;
  align-items: start;
}
textarea {
  height: auto;
}
</style>
