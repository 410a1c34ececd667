<script setup lang="ts">
// Saving the package files on the bench's computer before anything goes: what
// it saves, and plainly what it does not.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { touch } from '@/api/stale'
import { ago } from '@/format/dates'
import { count, megabytes } from '@/format/numbers'
import type { Phone } from './bench'
import { useJob } from './job'

const props = defineProps<{ bench: string; phone: Phone; packages: string[]; owners: string }>()
const emit = defineEmits<{ owners: [what: 'saved' | 'none' | ''] }>()
const settings = ref(false)
const { wrong, run } = useChange()
const path = computed(() => ({ id: props.bench, handle: props.phone.handle }))
const backups = useQuery({
  queryKey: computed(() => ['backups', path.value]),
  queryFn: () =>
    ask(api.GET('/api/v1/benches/{id}/phones/{handle}/backups', { params: { path: path.value } })).then((r) => r.items),
})
const job = useJob<
  { done: number; of: number; at: string; bytes: number },
  { wrong: { package: string; why: string }[] }
>(() => void touch('backups'))
const last = computed(() => backups.data.value?.[0])
const follow = (asked: () => Promise<{ job: string }>) => run(async () => job.watch((await asked()).job))
const save = (resume?: string) =>
  follow(() =>
    ask(
      api.POST('/api/v1/benches/{id}/phones/{handle}/backups', {
        params: { path: path.value },
        body: {
          packages: resume ? last.value!.packages : props.packages,
          settings: settings.value,
          ...(resume ? { resume } : {}),
        },
      }),
    ),
  )
const verify = (id: string) => follow(() => ask(api.POST('/api/v1/backups/{id}/verify', { params: { path: { id } } })))
</script>

<template>
  <section class="backup" aria-label="Backup">
    <h2>
      Save first <span class="second">the files of {{ count(packages.length, 'package') }}, with all their parts</span>
    </h2>
    <p v-if="job.busy.value" role="status">
      {{ job.progress.value?.done ?? 0 }} of {{ job.progress.value?.of ?? packages.length }},
      {{ megabytes(job.progress.value?.bytes ?? 0) }}
      <span class="mono second">{{ job.progress.value?.at }}</span>
      <button class="link second" @click="job.cancel()">cancel</button>
    </p>
    <p v-else-if="last" data-testid="backup">
      <template v-if="last.state === 'whole'"
        >Saved {{ ago(last.madeAt) }}: {{ count(last.result.packages, 'package') }},
        {{ count(last.result.files, 'file') }}, {{ megabytes(last.result.bytes) }}, sizes and SHA-256 kept{{
          last.verifiedAt ? `; checked ${ago(last.verifiedAt)}` : ''
        }}.</template
      >
      <template v-else
        >A backup of {{ ago(last.madeAt) }} is not whole: {{ last.result.packages }} of {{ last.packages.length }} are
        saved.</template
      >
      <span class="acts">
        <button v-if="last.state !== 'whole'" class="link" @click="save(last.id)">go on with it</button>
        <button v-else class="link second" @click="verify(last.id)">check the files</button>
        <button class="link second" :disabled="!packages.length" @click="save()">save anew</button>
      </span>
    </p>
    <p v-else>
      <button class="act" :disabled="!packages.length" @click="save()">Save the package files</button>
      <label class="second"><input v-model="settings" type="checkbox" /> and a list of its settings</label>
    </p>
    <ul v-if="job.result.value?.wrong?.length && !job.busy.value" class="ochre">
      <li v-for="w in job.result.value.wrong.slice(0, 5)" :key="w.package">
        <span class="mono">{{ w.package }}</span>: {{ w.why }}
      </li>
    </ul>
    <p v-if="job.wrong.value || wrong" class="harm" role="alert">{{ job.wrong.value || wrong }}</p>
    <p>
      <span class="second">This saves apps, not what is in them: neither app data nor the owner's pictures.</span>
      <label
        ><input type="radio" name="owners" :checked="owners === 'saved'" @change="emit('owners', 'saved')" /> they are
        saved elsewhere</label
      >
      <label
        ><input type="radio" name="owners" :checked="owners === 'none'" @change="emit('owners', 'none')" /> there are
        none</label
      >
    </p>
  </section>
</template>

<style scoped>
.backup {
  padding: 10px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 .second {
  font-weight: 400;
}
p {
  padding: 3px 0;
}
label {
  margin-left: 12px;
  white-space: nowrap;
}
.acts {
  margin-left: 12px;
  display: inline-flex;
  gap: 12px;
}
</style>
