<script setup lang="ts">
// What the phone says of itself beyond its packages.
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'

const props = defineProps<{ facts: Schemas['PhoneFacts']; gone: string[] }>()
const roles = computed(() => props.facts.roles ?? [])
const rootWord: Record<string, string> = {
  no: 'no',
  shell: 'adb itself runs as root',
  'by-asking': 'a su program is there',
}
</script>

<template>
  <section>
    <h2>This phone</h2>
    <dl>
      <template v-for="r in roles" :key="r.name">
        <dt>{{ roleName(r.name) }}</dt>
        <dd>
          <p v-for="h in r.holders ?? []" :key="h"><PackageName :name="h" /></p>
          <p v-if="!r.holders?.length" class="ochre">nobody</p>
          <p v-if="(r.able?.length ?? 0) > 1" class="second">{{ r.able!.length }} packages could</p>
        </dd>
      </template>
      <dt>keyboards</dt>
      <dd>
        <p v-for="k in facts.keyboards ?? []" :key="k.package + k.component">
          <PackageName :name="k.package" /> <span v-if="k.default" class="second">in use</span>
        </p>
        <p v-if="facts.keyboards?.length === 1" class="ochre">the only one</p>
        <p v-if="!facts.keyboards?.length" class="second">not told</p>
      </dd>
      <dt>web view</dt>
      <dd><PackageName v-if="facts.webView" :name="facts.webView" /><span v-else class="second">not told</span></dd>
      <dt>administrators</dt>
      <dd>
        <p v-for="a in facts.administrators ?? []" :key="a"><PackageName :name="a" /></p>
        <p v-if="!facts.administrators?.length" class="second">none</p>
      </dd>
      <dt>lock code</dt>
      <dd>{{ facts.lockCode === 'set' ? 'set' : facts.lockCode === 'not-set' ? 'not set' : 'not told' }}</dd>
      <dt>root</dt>
      <dd>{{ rootWord[facts.root ?? ''] ?? 'not told' }}</dd>
      <dt>users</dt>
      <dd>{{ facts.users || 'not told' }}</dd>
      <dt>gone for its user</dt>
      <dd>
        <p v-for="name in gone.slice(0, 30)" :key="name"><PackageName :name="name" /></p>
        <p v-if="gone.length > 30" class="second">and {{ gone.length - 30 }} more</p>
        <p v-if="!gone.length" class="second">nothing was taken off</p>
      </dd>
    </dl>
  </section>
</template>

<style scoped>
section {
  padding: 16px 18px 0;
}
h2 {
  font-size: 15px;
}
dl {
  display: grid;
  grid-template-columns: 132px minmax(0, 1fr);
  gap: 6px 12px;
  margin-top: 6px;
}
dt {
  color: var(--second);
}
</style>
