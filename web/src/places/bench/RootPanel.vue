<script setup lang="ts">
// What a release takes out of the image needs root: asked of the phone here, and of
// whoever holds it. Without it all of that is removed for the user.
import { computed } from 'vue'
import { api, ask } from '@/api/client'
import { count, megabytes } from '@/format/numbers'
import { useChange } from '@/composables/change'
import { useJob } from './job'
import type { Rehearsal } from './run'

const props = defineProps<{
  bench: string
  phone: string
  of: { release?: string; profile?: string }
  rehearsal: Rehearsal
}>()
const emit = defineEmits<{ asked: [job: string]; user: [packages: string[]] }>()

const rows = computed(() => props.rehearsal.rows.filter((r) => r.method === 'remove-from-image'))
const because = (code: string) => rows.value.filter((r) => r.code === code)
const masked = computed(() => because('image-masked'))
const erased = computed(() => because('image-erased'))
const stays = computed(() => rows.value.filter((r) => ['refuses', 'to-see'].includes(r.would)))
const job = useJob<unknown, unknown>((result) => {
  if (result && job.job.value) emit('asked', job.job.value.id)
})
const { busy, wrong, run } = useChange()
const askForRoot = () =>
  run(async () => {
    const { id } = await ask(
      api.POST('/api/v1/benches/{id}/phones/{handle}/root', {
        params: { path: { id: props.bench, handle: props.phone } },
        body: { release: props.of.release, profile: props.of.profile },
      }),
    )
    job.watch(id)
  })
</script>

<template>
  <section class="root" aria-label="Out of the image">
    <h2>
      Out of the image <span class="second">{{ count(rows.length, 'package') }}, gone after the restart</span>
    </h2>
    <p v-if="!rehearsal.root" class="second">
      Only root can do this. Whoever holds the phone is asked on its screen; asking changes nothing.
    </p>
    <p v-else-if="rehearsal.root === 'none'" class="ochre">This phone has no program that gives root.</p>
    <p v-else-if="rehearsal.root === 'refused'" class="ochre">Root was refused on the phone's screen.</p>
    <template v-else>
      <p v-if="masked.length" class="second">
        {{ count(masked.length, 'is', 'are') }} masked at each start, and the image stays whole:
        {{ rehearsal.maskedBecause }}. After two starts that do not finish, the phone undoes that by itself.
      </p>
      <p v-if="erased.length" class="second">
        {{ count(erased.length, 'is', 'are') }} erased, {{ megabytes(rehearsal.imageBytes) }} on the image: each folder
        is saved before, on this bench, and stays saved. After two starts that do not finish, the phone writes them
        back.
      </p>
    </template>
    <p v-if="rehearsal.found" class="second">The phone tells: {{ rehearsal.found }}.</p>
    <p class="acts">
      <button
        v-if="!rehearsal.root || rehearsal.root === 'refused' || rehearsal.root === 'none'"
        class="act"
        :disabled="busy || job.busy.value"
        @click="askForRoot"
      >
        {{
          job.busy.value ? 'Answer on the phone …' : rehearsal.root ? 'Ask again for root' : 'Ask the phone for root'
        }}
      </button>
      <button
        v-if="stays.length"
        class="link"
        @click="
          emit(
            'user',
            stays.map((r) => r.package!),
          )
        "
      >
        remove {{ count(stays.length, 'package') }} for the user instead
      </button>
    </p>
    <p v-if="wrong || job.wrong.value" class="harm" role="alert">{{ wrong || job.wrong.value }}</p>
  </section>
</template>

<style scoped>
.root {
  padding: 10px 18px;
  border-bottom: 1px solid var(--hair);
}
h2 .second {
  font-weight: 400;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: baseline;
  margin-top: 6px;
}
</style>
