<script setup lang="ts">
// The files of what a release puts in: which the phone's bench has, and where they
// are given to it. A release holds none.
import { computed, watch } from 'vue'
import type { Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import PackageName from '@/marks/PackageName.vue'
import FileDrop from '@/ui/FileDrop.vue'
import { useChange } from '@/composables/change'
import { giveFiles, missed, type Given } from '@/composables/packageFiles'
import { useJob } from './job'

const props = defineProps<{ bench: string; rows: Schemas['BenchRow'][]; has: Given[]; given: string[] }>()
const emit = defineEmits<{ given: [names: string[]] }>()

const wanted = computed(() =>
  props.rows
    .filter((r) => r.kind === 'put-in' && r.file && r.package)
    .map((r) => {
      const has = props.has.find((g) => g.package === r.package)
      return { row: r, has, wrong: has ? missed(r.file!, has) : '' }
    }),
)
const ready = computed(() => wanted.value.filter((w) => w.has && !w.wrong).map((w) => w.row.package!))
watch(
  ready,
  (names) => {
    if (names.join() !== [...props.given].join()) emit('given', names)
  },
  { immediate: true },
)
const job = useJob<unknown, { packages: Given[]; wrong: string[] }>()
const { busy, wrong, run } = useChange()
const give = (files: File[]) =>
  run(async () => {
    job.watch((await giveFiles(props.bench, files)).job)
  })
</script>

<template>
  <section v-if="wanted.length" class="given" aria-label="Files to put in">
    <h2>Files to put in</h2>
    <ul>
      <li v-for="w in wanted" :key="w.row.number">
        <span
          ><b>{{ w.row.label }}</b> <PackageName :name="w.row.package!"
        /></span>
        <span v-if="w.has && !w.wrong" class="second"
          >ready on this bench: version {{ w.has.versionName || w.has.versionCode
          }}{{ w.has.files.length > 1 ? `, ${count(w.has.files.length, 'file')}` : '' }}</span
        >
        <span v-else-if="w.has" class="ochre">what the bench has is {{ w.wrong }}</span>
        <span v-else-if="w.row.code === 'file-wanted'" class="ochre"
          >wanted<template v-if="w.row.file!.from">; get it from: {{ w.row.file!.from }}</template></span
        >
        <span v-else class="second">{{ w.row.why }}</span>
      </li>
    </ul>
    <FileDrop
      multiple
      accept=".apk"
      :busy="busy || job.busy.value"
      label="Drop the package files here, or choose them"
      note="all parts of a package together; the bench checks who signed them, and keeps them for the next phone"
      @files="give"
    />
    <p v-if="wrong || job.wrong.value" class="harm" role="alert">{{ wrong || job.wrong.value }}</p>
    <p v-for="w in job.result.value?.wrong ?? []" :key="w" class="harm" role="alert">{{ w }}</p>
  </section>
</template>

<style scoped>
.given {
  padding: 10px 18px;
  border-bottom: 1px solid var(--hair);
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
  line-height: 20px;
  padding: 2px 0 4px;
}
</style>
