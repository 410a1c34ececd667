<script setup lang="ts">
// What a trial will do to what is known, told before it is made.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '@/api/client'
import { ceiling, count } from '@/format/numbers'
import { loadWord } from '@/format/vocabulary'

const props = defineProps<{ trial: Schemas['TrialsInputBody'] }>()
const query = useQuery({
  queryKey: computed(() => ['foreseen', props.trial]),
  queryFn: () => ask(api.POST('/api/v1/trials/foreseen', { body: props.trial })).then((r) => r.items),
  placeholderData: keepPreviousData,
})
const all = computed(() => query.data.value ?? [])
const against = computed(() => all.value.filter((f) => f.contradictions.length))
const one = computed(() => (all.value.length === 1 ? all.value[0] : undefined))
const moves = computed(() => {
  const f = one.value
  if (!f) return []
  const { before, after } = f
  return [
    { what: 'harm ceiling', from: ceiling(before.ceiling), to: ceiling(after.ceiling) },
    { what: 'standing', from: before.standing, to: after.standing },
    { what: 'suggested', from: loadWord[before.suggested] ?? '', to: loadWord[after.suggested] ?? '' },
  ]
})
const better = computed(() => all.value.filter((f) => f.before.suggested !== f.after.suggested).length)
</script>

<template>
  <div v-if="all.length" class="foreseen" aria-live="polite">
    <div v-if="against.length" class="ochre" data-testid="contradictions">
      <b>It speaks against what is known{{ one ? '' : ` of ${count(against.length, 'package')}` }}.</b>
      You may be right: say in the note what was different.
      <ul>
        <li v-for="f in against.slice(0, 6)" :key="f.package">
          <span v-if="!one" class="mono">{{ f.package }}: </span>{{ f.contradictions.join('; ') }}
        </li>
      </ul>
      <p v-if="against.length > 6">and {{ against.length - 6 }} more</p>
    </div>
    <p v-if="one?.after.standing === 'contested'" class="ochre">
      Contested: {{ count(one.after.harmedPhones, 'phone') }} harmed against
      {{ one.after.phones - one.after.harmedPhones }} that went clean.
    </p>
    <dl v-if="one">
      <template v-for="m in moves" :key="m.what">
        <dt>{{ m.what }}</dt>
        <dd :data-testid="`foreseen ${m.what}`">
          {{ m.from }}<template v-if="m.from !== m.to"> → {{ m.to }}</template>
        </dd>
      </template>
    </dl>
    <p v-else class="second">
      {{ better ? `The suggestion moves for ${better} of ${all.length}.` : `No suggestion moves among ${all.length}.` }}
    </p>
  </div>
</template>

<style scoped>
.foreseen {
  border-left: 2px solid var(--hair);
  padding-left: 10px;
}
dl {
  display: grid;
  grid-template-columns: repeat(3, auto auto);
  gap: 2px 8px;
  justify-content: start;
}
dd {
  white-space: nowrap;
}
dt {
  color: var(--second);
}
</style>
