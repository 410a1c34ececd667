<script setup lang="ts">
// How the profile, as it is kept, differs from a release of it or from another
// profile of the model.
import { computed, ref } from 'vue'
import { words, type Schemas } from '@/api/client'
import { count } from '@/format/numbers'
import LoadMark from '@/marks/LoadMark.vue'
import PackageName from '@/marks/PackageName.vue'
import { useComparison } from './profile'

const props = defineProps<{ profile: Schemas['Composed']; others: Schemas['Profile'][]; dirty: boolean }>()
const other = ref('')
const id = computed(() => props.profile.id)
const revision = computed(() => props.profile.revision)
const { data, error, isError } = useComparison(id, revision, other)
const parts = computed(() => [
  { title: 'Goes now', list: data.value?.added ?? [] },
  { title: 'Stays now', list: data.value?.removed ?? [] },
  { title: 'Otherwise', list: data.value?.changed ?? [] },
])
</script>

<template>
  <section class="sheet" aria-label="Compared" tabindex="0">
    <label class="line"
      >with
      <select v-model="other" class="field" aria-label="Compare with">
        <option value="">the newest release</option>
        <option v-for="r in profile.releases" :key="r.id" :value="`no.${r.number}`">
          no. {{ r.number }}{{ r.state === 'withdrawn' ? ', withdrawn' : '' }}
        </option>
        <option v-for="p in others" :key="p.id" :value="p.id">{{ p.modelName }}: {{ p.name }}</option>
      </select></label
    >
    <p v-if="dirty" class="ochre">As it is kept; what you changed since is not in it.</p>
    <p v-if="isError" class="notice bad" role="alert">{{ words(error) }}</p>
    <template v-else-if="data">
      <p v-if="!data.with" class="second">Nothing was published yet: all of it is new.</p>
      <p v-else class="second">{{ count(data.same, 'package') }} the same as in {{ data.with }}.</p>
      <template v-for="p in parts" :key="p.title">
        <h2 v-if="p.list.length">
          {{ p.title }} <span class="second">{{ p.list.length }}</span>
        </h2>
        <ul>
          <li v-for="m in p.list" :key="m.package">
            <LoadMark :load="m.load" :size="11" silent /><PackageName :name="m.package" />
            <span class="second">{{ m.what }}</span>
          </li>
        </ul>
      </template>
      <template v-if="data.firmware.length">
        <h2>Firmware</h2>
        <p v-for="f in data.firmware" :key="f">{{ f }}</p>
      </template>
      <template v-if="data.steps.length">
        <h2>Other steps</h2>
        <p v-for="s in data.steps" :key="s">{{ s }}</p>
      </template>
    </template>
  </section>
</template>

<style scoped>
.sheet {
  overflow: auto;
  padding: 10px 14px 24px;
}
.sheet:focus-visible {
  outline-offset: -2px;
}
h2 {
  margin: 14px 0 5px;
}
h2 .second {
  font-weight: 400;
}
.line {
  display: flex;
  gap: 8px;
  align-items: baseline;
  color: var(--second);
}
.line .field {
  flex: 1;
  min-width: 0;
}
li {
  display: flex;
  gap: 6px;
  align-items: baseline;
  line-height: 21px;
}
</style>
