<script setup lang="ts">
// The computers with their phones, beside whatever is looked at.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '@/api/client'
import { useSession } from '@/composables/session'
import { placesOf, useBenches, type Bench } from './bench'
import ComputerHead from './ComputerHead.vue'
import NewBench from './NewBench.vue'
import PhoneLine from './PhoneLine.vue'
import ReachForm from './ReachForm.vue'
import ThisBrowser from './ThisBrowser.vue'
import { useThisBrowser } from './thisBrowser'

const at = defineModel<string>('at')
const { benches } = useBenches()
const { person } = useSession()
const mayAdd = computed(() => ['maintainer', 'keeper'].includes(person.value?.role ?? ''))
const runs = useQuery({
  queryKey: ['runs', 'open'],
  queryFn: () => ask(api.GET('/api/v1/runs', { params: { query: { open: true, limit: 100 } } })).then((r) => r.items),
})
const runOn = (mark: string | undefined) => (mark ? runs.data.value?.find((r) => r.phone === mark) : undefined)
// This browser stands at the head, and others by themselves.
const browser = useThisBrowser()
const others = computed(() =>
  benches.value?.filter((b) => b.personId !== person.value?.id || b.id !== browser.id.value),
)
const kindOf = (b: Bench) =>
  b.personId ? 'browser' : `${b.elsewhere ? 'elsewhere' : 'server'}${b.view.version ? ` · adb ${b.view.version}` : ''}`
</script>

<template>
  <div class="bench">
    <section class="phones" aria-label="Phones">
      <ThisBrowser v-if="benches" v-model:at="at" :benches="benches" :run-on="runOn" />
      <div v-for="b in others" :key="b.id" class="computer">
        <ComputerHead :name="b.name" :kind="b.away ? 'away' : kindOf(b)" />
        <p v-if="b.away" class="notice">
          <b>This bench is away.</b>{{ ' ' }}
          <template v-if="b.personId">Its tab is closed. Its phones can go on at any bench.</template>
          <template v-else-if="b.elsewhere"
            >Start <span class="mono">roster bench</span> on that computer; it comes back by itself.</template
          >
          <template v-else>The server that it belongs to is not running.</template>
        </p>
        <p v-else-if="b.view.wrong" class="notice" role="status">
          <b>{{ b.view.wrong }}</b> {{ b.view.next }}
        </p>
        <ul>
          <li v-for="p in placesOf(b)" :key="p.key">
            <PhoneLine :place="p" :run="runOn(p.phone?.mark)" :picked="p.key === at" @pick="at = p.key" />
          </li>
        </ul>
        <p v-if="b.personId && !b.away" class="none second">What is done with these phones their person does.</p>
        <div v-else-if="b.view.try.length" class="none">
          <b>No phone is listed</b>
          <ol>
            <li v-for="t in b.view.try" :key="t">{{ t }}</li>
          </ol>
        </div>
        <ReachForm v-if="!b.away && !b.view.wrong && !b.personId" :bench="b" />
      </div>
      <p v-if="benches && !benches.length" class="none second">
        This server has no adb of its own, and no bench elsewhere is linked to it.
      </p>
      <button class="files" :class="{ picked: at === 'files' }" :aria-pressed="at === 'files'" @click="at = 'files'">
        <b>From files</b>
        <span class="second">outputs, a bug report, a capture file</span>
      </button>
      <button class="files" :class="{ picked: at === 'runs' }" :aria-pressed="at === 'runs'" @click="at = 'runs'">
        <b>Runs</b>
        <span class="second">what was run, and what is to be checked</span>
      </button>
      <button class="files" :class="{ picked: at === 'saved' }" :aria-pressed="at === 'saved'" @click="at = 'saved'">
        <b>Saved</b>
        <span class="second">package files of phones, and until when</span>
      </button>
      <NewBench v-if="mayAdd" :benches="benches ?? []" />
    </section>
    <slot />
  </div>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr);
  height: 100%;
  min-height: 0;
}
.phones {
  border-right: 1px solid var(--hair);
  overflow: auto;
}
.none,
.files {
  padding: 10px 14px;
  border-bottom: 1px solid var(--hair);
}
.none ol {
  margin: 4px 0 0;
  padding-left: 16px;
  list-style: decimal;
  color: var(--second);
}
.files {
  display: flex;
  flex-direction: column;
  width: 100%;
  text-align: left;
}
.files:focus-visible {
  outline-offset: -2px;
}
.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
b {
  font-weight: 650;
}
.bench > :deep(.sheet) {
  overflow: auto;
  min-width: 0;
}
/* On a phone's own screen what is looked at comes first: it has nothing
   attached. */
@media (max-width: 720px) {
  .bench {
    display: flex;
    flex-direction: column;
    overflow: auto;
  }
  .phones {
    display: contents;
  }
  .files {
    order: 1;
  }
  .bench > :deep(.sheet) {
    order: 2;
    overflow: visible;
    flex: none;
    border-bottom: 1px solid var(--ink);
  }
  .computer,
  .none {
    order: 3;
  }
}
</style>
