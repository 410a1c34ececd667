<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useKeys } from '@/shell/keys'
import { useSession } from '@/shell/session'
import { placesOf, useBenches, type Place } from './bench'
import FilesSheet from './FilesSheet.vue'
import NewBench from './NewBench.vue'
import PhoneLine from './PhoneLine.vue'
import PhoneSheet from './PhoneSheet.vue'
import ReachForm from './ReachForm.vue'

const { benches } = useBenches()
const { person } = useSession()
const places = computed<Place[]>(() => (benches.value ?? []).flatMap(placesOf))
const at = ref<string>()
watch(
  places,
  (list) => {
    at.value ??= list[0]?.key // a phone that goes away stays chosen: it comes back
  },
  { immediate: true },
)
const here = computed(() => places.value.find((p) => p.key === at.value))
const mayAdd = computed(() => ['maintainer', 'keeper'].includes(person.value?.role ?? ''))
const sheet = ref<InstanceType<typeof PhoneSheet>>()

function move(by: number) {
  const i = places.value.findIndex((p) => p.key === at.value)
  at.value = places.value[Math.max(0, Math.min(i + by, places.value.length - 1))]?.key ?? at.value
}
useKeys([
  { keys: ['j', 'ArrowDown'], does: 'next phone', run: () => move(1) },
  { keys: ['k', 'ArrowUp'], does: 'phone before', run: () => move(-1) },
  { keys: ['c'], does: 'capture the phone', run: () => sheet.value?.capture() },
  { keys: ['w'], does: 'watch which app is opened', run: () => sheet.value?.watch() },
])
</script>

<template>
  <div class="bench">
    <section class="phones" aria-label="Phones">
      <div v-for="b in benches" :key="b.id" class="computer">
        <header>
          <b>{{ b.name }}</b>
          <span class="second">{{
            b.away
              ? 'away'
              : `${b.elsewhere ? 'elsewhere' : 'server'}${b.view.version ? ` · adb ${b.view.version}` : ''}`
          }}</span>
        </header>
        <p v-if="b.away" class="notice">
          <b>This bench is away.</b>
          <template v-if="b.elsewhere"
            >Start <span class="mono">roster bench</span> on that computer; it comes back by itself.</template
          >
          <template v-else>The server that it belongs to is not running.</template>
        </p>
        <p v-else-if="b.view.wrong" class="notice" role="status">
          <b>{{ b.view.wrong }}</b> {{ b.view.next }}
        </p>
        <ul>
          <li v-for="p in placesOf(b)" :key="p.key">
            <PhoneLine :place="p" :picked="p.key === at" @pick="at = p.key" />
          </li>
        </ul>
        <div v-if="b.view.try.length" class="none">
          <b>No phone is listed</b>
          <ol>
            <li v-for="t in b.view.try" :key="t">{{ t }}</li>
          </ol>
        </div>
        <ReachForm v-if="!b.away && !b.view.wrong" :bench="b" />
      </div>
      <p v-if="benches && !benches.length" class="none second">
        This server has no adb of its own, and no bench elsewhere is linked to it.
      </p>
      <button class="files" :class="{ picked: at === 'files' }" :aria-pressed="at === 'files'" @click="at = 'files'">
        <b>From files</b>
        <span class="second">outputs, a bug report, a capture file</span>
      </button>
      <NewBench v-if="mayAdd" :benches="benches ?? []" />
    </section>
    <FilesSheet v-if="at === 'files'" class="sheet" />
    <PhoneSheet v-else-if="here" ref="sheet" :key="here.key" class="sheet" :place="here" />
    <div v-else class="sheet">
      <div v-if="at" class="empty">
        <h1>This phone has gone</h1>
        <p class="second">Plug it in again, or wait: a phone that restarts is back in a minute.</p>
      </div>
      <div v-else class="empty">
        <h1>Attach a phone</h1>
        <p class="second">
          Turn on USB debugging in the phone's developer options, plug it in, and accept this computer on its screen. Or
          send in a file that the phone made.
        </p>
        <button class="act" @click="at = 'files'">From files</button>
      </div>
    </div>
  </div>
  <Teleport defer to="#margin">
    <h1>{{ here?.phone ? 'This phone, now' : 'Bench' }}</h1>
    <template v-if="here?.phone">
      <p class="second">{{ here.phone.ready ? 'answers' : here.phone.wrong }}</p>
      <template v-if="here.phone.mark">
        <h2>Told apart by</h2>
        <p class="mono">{{ here.phone.mark.slice(0, 12) }}</p>
        <p class="second">A keyed hash of its serial number. The number itself is never stored.</p>
      </template>
    </template>
    <h2>What a capture asks</h2>
    <p>
      Who the phone is, which packages it knows, which are there and switched on, what each one is, and who holds which
      job. It reads; it changes nothing.
    </p>
    <h2>What it never asks</h2>
    <p>Pictures, messages, contacts, accounts, where the phone has been.</p>
    <div class="keys">
      <span><kbd>c</kbd> capture</span><span><kbd>w</kbd> watch</span><span><kbd>j</kbd> <kbd>k</kbd> phones</span>
    </div>
  </Teleport>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: 252px minmax(0, 1fr);
  height: 100%;
  min-height: 0;
}
.phones {
  border-right: 1px solid var(--hair);
  overflow: auto;
}
.computer header {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--hair);
  background: var(--soft);
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
.sheet {
  overflow: auto;
  min-width: 0;
}
/* On a phone's own screen the files come first: it has nothing attached. */
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
  .sheet {
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
