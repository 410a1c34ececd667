<script setup lang="ts">
// What was saved of phones, by whom and for which runs: how large it is, when it
// was checked, and when it ends. Deleting is final, and asks once more.
import { useInfiniteQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, words, type Schemas } from '@/api/client'
import { touch } from '@/api/stale'
import { useChange } from '@/composables/change'
import { useSession } from '@/composables/session'
import { ago, day, exactTime } from '@/format/dates'
import { count, megabytes } from '@/format/numbers'
import { useJob } from './job'

type Saved = Schemas['KeptBackup']

const step = 100
const { person } = useSession()
const list = useInfiniteQuery({
  queryKey: ['backups', 'all'],
  initialPageParam: undefined as string | undefined,
  queryFn: ({ pageParam }) =>
    ask(api.GET('/api/v1/backups', { params: { query: { after: pageParam, limit: step } } })).then((r) => r.items),
  getNextPageParam: (last) => (last.length === step ? last.at(-1)!.id : undefined),
})
const saved = computed(() => list.data.value?.pages.flat())
const bytes = computed(() => saved.value?.reduce((sum, b) => sum + b.result.bytes, 0) ?? 0)

const { wrong, said, run } = useChange()
const job = useJob<{ done: number; of: number }, { wrong?: { package: string; why: string }[] }>(
  () => void touch('backups'),
)
const at = ref('') // the one that is being checked or deleted
const deleting = ref('') // the one of which it is asked once more
const mayDecide = (b: Saved) =>
  b.personId === person.value?.id || ['maintainer', 'keeper'].includes(person.value?.role ?? '')

function follow(b: Saved, asked: () => Promise<{ job: string }>) {
  deleting.value = ''
  return run(async () => {
    at.value = b.id
    job.watch((await asked()).job)
  })
}
const path = (b: Saved) => ({ params: { path: { id: b.id } } })
const check = (b: Saved) => follow(b, () => ask(api.POST('/api/v1/backups/{id}/verify', path(b))))
const remove = (b: Saved) => follow(b, () => ask(api.DELETE('/api/v1/backups/{id}', path(b))))
const keep = (b: Saved, keep: boolean) =>
  run(async () => {
    await ask(api.POST('/api/v1/backups/{id}/keep', { ...path(b), body: { keep } }))
    await touch('backups')
  })

// stays says why the rule leaves it alone.
function stays(b: Saved): string {
  if (b.kept) return 'kept'
  if (b.openRun) return `stays while run ${b.openRun} is open`
  if (b.dueRun) return `stays until the check list of run ${b.dueRun} is answered`
  return 'never'
}
</script>

<template>
  <section aria-label="Saved">
    <header>
      <h1>Saved</h1>
      <p class="second">
        The package files that benches keep of phones.
        <template v-if="saved?.length"
          >{{ count(saved.length, 'backup') }}{{ list.hasNextPage.value ? ' and more' : '' }},
          {{ megabytes(bytes) }}.</template
        >
      </p>
    </header>
    <p v-if="list.isError.value" class="notice bad" role="alert">{{ words(list.error.value) }}</p>
    <p v-if="wrong || job.wrong.value" class="notice bad" role="alert">{{ wrong || job.wrong.value }}</p>
    <p v-if="said" class="notice" role="status">{{ said }}</p>
    <table v-if="saved?.length" class="listed">
      <thead>
        <tr>
          <th scope="col">Phone</th>
          <th scope="col">Run</th>
          <th scope="col">Holds</th>
          <th scope="col">Saved</th>
          <th scope="col">Ends</th>
          <th scope="col"><span class="visually-hidden">What to do with it</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="b in saved" :key="b.id">
          <td>
            {{ b.phoneName }} <span class="mono second">{{ b.phone.slice(0, 8) }}</span>
          </td>
          <td>
            <template v-for="(r, i) in b.runs" :key="r.id"
              >{{ i ? ', ' : ''
              }}<router-link :to="{ name: 'run', params: { id: r.id } }">{{ r.number }}</router-link></template
            >
            <span v-if="!b.runs.length" class="second">none</span>
          </td>
          <td>
            <template v-if="b.state === 'partly'"
              ><span class="ochre">{{ b.result.packages }} of {{ count(b.packages.length, 'package') }}</span
              >, {{ megabytes(b.result.bytes) }}</template
            >
            <span v-else-if="b.state === 'going'" class="second">being made</span>
            <template v-else>{{ count(b.result.packages, 'package') }}, {{ megabytes(b.result.bytes) }}</template>
          </td>
          <td class="second" :title="`${exactTime(b.madeAt)}, in ${b.result.folder}`">
            {{ ago(b.madeAt) }} by {{ b.person }} on {{ b.bench
            }}{{ b.verifiedAt ? `; checked ${ago(b.verifiedAt)}` : '' }}
          </td>
          <td class="second ends">{{ b.endsAt ? day(b.endsAt) : stays(b) }}</td>
          <td>
            <span v-if="job.busy.value && at === b.id" role="status"
              >{{ job.progress.value?.done ?? 0 }} of {{ job.progress.value?.of ?? b.packages.length }}</span
            >
            <span v-else-if="deleting === b.id" class="acts" role="group" aria-label="Delete for good?">
              <button class="link harm" @click="remove(b)">delete for good</button>
              <button class="link second" @click="deleting = ''">no</button>
            </span>
            <span v-else class="acts">
              <button class="link" :disabled="job.busy.value" @click="check(b)">check</button>
              <template v-if="mayDecide(b)">
                <button class="link second" @click="keep(b, !b.kept)">{{ b.kept ? 'let it end' : 'keep' }}</button>
                <button class="link second" :disabled="job.busy.value" @click="deleting = b.id">delete</button>
              </template>
            </span>
            <ul v-if="at === b.id && !job.busy.value && job.result.value?.wrong?.length" class="ochre">
              <li v-for="w in job.result.value.wrong.slice(0, 5)" :key="w.package">
                <span class="mono">{{ w.package }}</span>: {{ w.why }}
              </li>
            </ul>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="list.hasNextPage.value" class="more">
      <button class="link" @click="list.fetchNextPage()">older ones</button>
    </p>
    <div v-if="saved && !saved.length" class="empty">
      <h1>Nothing is saved</h1>
      <p class="second">Before a run the bench can save the package files of what goes: rehearse one to see where.</p>
    </div>
  </section>
</template>

<style scoped>
header {
  padding: 12px 18px 10px;
}
.listed {
  margin: 0;
}
.listed th:first-child,
.listed td:first-child,
.more {
  padding-left: 18px;
}
.listed td {
  padding-block: 6px;
}
.ends {
  min-width: 84px;
}
.acts {
  display: inline-flex;
  gap: 12px;
  white-space: nowrap;
}
@media (max-width: 720px) {
  .listed th:nth-child(4),
  .listed td:nth-child(4) {
    display: none;
  }
}
</style>
