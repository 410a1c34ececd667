<script setup lang="ts">
// A phone that tells no serial number of its own is told apart by a label.
import { ref } from 'vue'
import type { Phone } from './bench'
import { useJob } from './job'

const props = defineProps<{ bench: string; phone: Phone }>()
const text = ref('')
const open = ref(false)
const job = useJob<unknown, unknown>(() => {
  if (!job.wrong.value) open.value = false
})
const label = (as: string) => void job.start(props.bench, { kind: 'label', phone: props.phone.handle, with: as.trim() })
</script>

<template>
  <section class="label" aria-labelledby="label-title">
    <template v-if="phone.label && !open">
      <p>
        Told apart by its label <b>{{ phone.label }}</b>.
        <button class="link second" @click="open = true">another label</button>
      </p>
    </template>
    <template v-else>
      <h2 id="label-title">It tells no serial number of its own</h2>
      <p>
        Its maker gave it none, or gave many phones the same. What is found on it can't be told from what is found on
        others of its model, and nothing is run on it, until it has a label: write one on its back, and give the same
        one each time it is attached.
      </p>
      <p v-if="phone.labelBefore && !open" class="before">
        The phone that hung here before was <b>{{ phone.labelBefore }}</b>.
        <button class="act" :disabled="job.busy.value" @click="label(phone.labelBefore!)">It is that one</button>
      </p>
      <form @submit.prevent="label(text)">
        <label class="second" for="label-text">Label</label>
        <input id="label-text" v-model="text" class="field" maxlength="40" autocomplete="off" placeholder="TW-014" />
        <button class="act first" :disabled="job.busy.value || !text.trim()">Label it</button>
        <button v-if="open" type="button" class="link second" @click="open = false">leave it</button>
      </form>
      <p v-if="job.wrong.value" class="ochre" role="alert">{{ job.wrong.value }}</p>
    </template>
  </section>
</template>

<style scoped>
.label {
  padding: 14px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
p {
  max-width: 620px;
  margin-bottom: 8px;
}
p:last-child {
  margin-bottom: 0;
}
form {
  display: flex;
  gap: 8px;
  align-items: center;
}
input {
  width: 220px;
}
.before {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
</style>
