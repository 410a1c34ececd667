<script setup lang="ts">
// A release on a phone, from the first page to the last: one thing at a time, with
// nobody's account and nothing sent.
import { computed, onMounted, ref } from 'vue'
import { Bench, standIns, type LooseStandIn } from './bench'
import type { Choices, Rehearsal, Release } from './messages'
import AttachPart from './AttachPart.vue'
import BeginPart from './BeginPart.vue'
import DecidePart from './DecidePart.vue'
import FinishPart from './FinishPart.vue'
import LogPart from './LogPart.vue'
import ReadyPart from './ReadyPart.vue'
import RunPart from './RunPart.vue'
import SavePart from './SavePart.vue'
import { t, type Key } from './words'

const props = defineProps<{ path: string; publicKey: string; list: string; keep: string; tell: string; salt: string }>()
const bench = new Bench(props.salt)
const { view, ended } = bench

type Place = 'begin' | 'ready' | 'attach' | 'decide' | 'save' | 'run' | 'finish' | 'log'
const place = ref<Place>('begin')
const lack = ref<'' | 'secure' | 'usb' | 'taken'>('')
const release = ref<Release>()
const broken = ref('') // why there is no release to work with
const seenAt = ref('') // when its status was last known, where that is not now
const wrong = ref('') // what the last press came to
const pretend = ref<LooseStandIn[]>([])
const rehearsal = ref<Rehearsal>()
const choices = ref<Choices>(fresh())
const runId = ref('')
const run = computed(() => view.value.runs.find((r) => r.id === runId.value))

function fresh(): Choices {
  return { leave: [], off: [], keep: [], without: [], seen: [], noRestart: false, anyway: false, ownersData: '' }
}

const places: { at: Place[]; words: Key }[] = [
  { at: ['ready'], words: 'step.ready' },
  { at: ['attach'], words: 'step.attach' },
  { at: ['decide'], words: 'step.decide' },
  { at: ['save'], words: 'step.save' },
  { at: ['run'], words: 'step.do' },
  { at: ['finish'], words: 'step.finish' },
]
const step = computed(() => places.findIndex((p) => p.at.includes(place.value)))

// text fetches a file beside the page. What was fetched before is used where there
// is no connection.
async function text(name: string): Promise<string> {
  const a = await fetch(name)
  if (!a.ok) throw new Error(`${name}: ${a.status}`)
  return a.text()
}

// keepForLater has the browser keep what this page needs.
async function keepForLater() {
  await navigator.serviceWorker?.register('/offline.js')
  const { active } = await navigator.serviceWorker.ready
  const files = ['.json', '.json.minisig', '.status.json'].map((ending) => props.path + ending)
  active?.postMessage([location.pathname, ...files, ...props.keep.split(' ')])
}

onMounted(async () => {
  // The worker of the site keeps what this page needs for when there is no connection.
  void keepForLater().catch(() => undefined)
  if (!window.isSecureContext) lack.value = 'secure'
  pretend.value = await standIns()
  if (!lack.value && !('usb' in navigator) && !pretend.value.length) lack.value = 'usb'
  if (lack.value) return
  try {
    await bench.start()
    const [document, signature, status] = await Promise.all(
      ['.json', '.json.minisig', '.status.json'].map((ending) => text(props.path + ending)),
    )
    if (!navigator.onLine) seenAt.value = new Date().toISOString()
    release.value = await bench.release(document!, signature!, props.publicKey, status!, props.path)
  } catch (e) {
    const words = e instanceof Error ? e.message : String(e)
    if (words === 'taken') lack.value = 'taken'
    else broken.value = words
  }
})

// attempt does something, and says what went wrong.
async function attempt<T>(what: () => Promise<T>): Promise<T | undefined> {
  wrong.value = ''
  try {
    return await what()
  } catch (e) {
    wrong.value = e instanceof Error ? e.message : String(e)
  }
}

async function read(handle: string) {
  const r = await attempt(() => bench.read(handle))
  if (!r) return
  choices.value = { ...fresh(), given: view.value.ready }
  rehearsal.value = r
  if (view.value.ready.length) await choose(choices.value)
  place.value = 'decide'
}

// give hands over files that the release puts in, and rehearses with them.
async function give(files: File[]) {
  const taken = await attempt(() => bench.give(files))
  if (!taken) return
  const given = new Set([...(choices.value.given ?? []), ...taken.packages.map((p) => p.package)])
  await choose({ ...choices.value, given: [...given] })
  if (taken.wrong.length) wrong.value = taken.wrong.join(' ')
}

async function choose(c: Choices) {
  choices.value = c
  const r = await attempt(() => bench.rehearse(c))
  if (r) rehearsal.value = r
}

// start looks up once more whether the release still stands, where there is a
// connection, and begins.
async function start(ownersData: 'saved' | 'none') {
  const status = await text(`${props.path}.status.json`).catch(() => '')
  const id = await attempt(async () => {
    if (status) await bench.tell(status)
    return bench.begin({ ...choices.value, ownersData })
  })
  if (id) open(id)
}

function open(id: string) {
  runId.value = id
  place.value = 'run'
  wrong.value = ''
}
</script>

<template>
  <p v-if="lack" class="note" role="status">{{ t(`lack.${lack}`) }}</p>
  <p v-else-if="ended" class="note harm" role="alert">{{ t('begin.notLoaded', { why: ended }) }}</p>
  <p v-else-if="broken" class="note harm" role="alert">
    {{ broken.includes('signature') ? t('begin.broken') : t('begin.notLoaded', { why: broken }) }}
  </p>
  <p v-else-if="!release" role="status">{{ t('begin.loading') }}</p>
  <template v-else>
    <ol v-if="step >= 0" class="way">
      <li v-for="(p, i) in places" :key="p.words" :aria-current="i === step ? 'step' : undefined">
        <span>{{ i + 1 }}</span> {{ t(p.words) }}
      </li>
    </ol>
    <p v-if="wrong" class="note harm" role="alert">{{ t('next.wrong', { why: wrong }) }}</p>
    <BeginPart
      v-if="place === 'begin'"
      :release="release"
      :list="list"
      :runs="view.runs"
      :seen-at="seenAt"
      @begin="place = 'ready'"
      @open="open"
      @log="place = 'log'"
    />
    <ReadyPart v-else-if="place === 'ready'" @next="place = 'attach'" />
    <AttachPart v-else-if="place === 'attach'" :bench="bench" :view="view" :pretend="pretend" @picked="read" />
    <DecidePart
      v-else-if="place === 'decide' && rehearsal"
      :rehearsal="rehearsal"
      :choices="choices"
      :phone="view.phones.find((p) => p.mark === view.phone)"
      @choose="choose"
      @give="give"
      @next="place = 'save'"
    />
    <SavePart
      v-else-if="place === 'save' && rehearsal"
      :count="rehearsal.count.goes + rehearsal.count.refuses"
      @start="start"
    />
    <RunPart
      v-else-if="place === 'run' && run"
      :run="run"
      :view="view"
      :bench="bench"
      :pretend="pretend"
      :tell="tell"
      @finish="place = 'finish'"
      @wrong="wrong = $event"
    />
    <LogPart v-else-if="place === 'log'" :bench="bench" :view="view" :pretend="pretend" @open="open" />
    <FinishPart v-else-if="place === 'finish'" :bench="bench" :view="view" :pretend="pretend" :list="list" />
  </template>
</template>

<style>
#here {
  max-width: 680px;
}
#here h2 {
  border: 0;
  font-size: 20px;
  margin: 18px 0 6px;
  padding: 0;
}
#here h3 {
  font-size: 15px;
  font-weight: 650;
  margin: 18px 0 4px;
}
#here .go-on,
#here .press {
  background: var(--sheet);
  border: 1px solid var(--ink);
  border-radius: 3px;
  color: inherit;
  cursor: pointer;
  font: inherit;
  font-weight: 600;
  margin: 6px 8px 6px 0;
  min-height: 44px;
  padding: 8px 16px;
}
#here .go-on {
  background: var(--ink);
  color: var(--sheet);
}
#here button:focus-visible,
#here input:focus-visible {
  outline: 2px solid var(--ring);
  outline-offset: 2px;
}
#here button:disabled {
  cursor: default;
  opacity: 0.5;
}
#here .way {
  border-bottom: 1px solid var(--hair);
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  list-style: none;
  margin: 16px 0 4px;
  padding: 0;
}
#here .way li {
  border-bottom: 3px solid transparent;
  color: var(--second);
  padding-bottom: 4px;
}
#here .way li[aria-current] {
  border-bottom: 3px solid var(--ring);
  color: var(--ink);
  font-weight: 650;
}
#here ul.rows {
  list-style: none;
  margin: 8px 0;
  padding: 0;
}
#here ul.rows > li {
  align-items: baseline;
  border-bottom: 1px solid var(--hair);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  justify-content: space-between;
  padding: 8px 0;
}
#here select {
  background: var(--sheet);
  border: 1px solid var(--second);
  border-radius: 3px;
  color: inherit;
  font: inherit;
  max-width: 100%;
  min-height: 44px;
  padding: 4px 8px;
}
#here .rows .press {
  font-weight: 500;
  min-height: 36px;
  padding: 3px 12px;
}
#here label {
  align-items: baseline;
  cursor: pointer;
  display: inline-flex;
  gap: 8px;
  min-height: 28px;
}
#here progress {
  accent-color: var(--l3);
  inline-size: 100%;
}
#here .big {
  font-size: 17px;
}
</style>
