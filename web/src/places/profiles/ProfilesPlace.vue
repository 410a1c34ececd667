<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, words } from '@/api/client'
import { useChange } from '@/composables/change'
import SheetDialog from '@/ui/SheetDialog.vue'
import { ago, exactTime } from '@/format/dates'
import PackageName from '@/marks/PackageName.vue'
import { useCursor } from '@/composables/cursor'
import { useDrafts } from '@/composables/draft'
import { useKeys } from '@/composables/keys'
import { useModels, useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'

const { scope, query } = useScope()
const { may } = useSession()
const router = useRouter()
const models = useModels(() => scope.value.maker)
const model = computed(() => models.data.value?.find((m) => m.slug === scope.value.model))
const profiles = useQuery({
  queryKey: computed(() => ['profiles', scope.value]),
  queryFn: () => ask(api.GET('/api/v1/profiles', { params: { query: { ...scope.value } } })).then((r) => r.items),
})
const list = computed(() => profiles.data.value ?? [])
const { begun } = useDrafts()
const cursor = useCursor(list, { name: 'profile', of: 'profile', key: (p) => p.id })
const making = ref(false)
const name = ref('')
const purpose = ref('')
const { wrong, run } = useChange('profiles')
const from = ref('')
const sources = useQuery({
  queryKey: ['profiles', 'all'],
  enabled: making,
  queryFn: () => ask(api.GET('/api/v1/profiles', { params: { query: {} } })).then((r) => r.items),
})
const starts = computed(() => [
  { value: '', title: 'cautious rules' },
  ...(sources.data.value ?? []).map((p) => ({ value: p.id, title: `${p.modelName}: ${p.name}` })),
])
// What would become of the other profile's packages on this model.
const adopted = useQuery({
  queryKey: computed(() => ['adopted', from.value, scope.value]),
  enabled: computed(() => making.value && from.value !== ''),
  queryFn: () =>
    ask(
      api.GET('/api/v1/profiles/{id}/adopted', {
        params: { path: { id: from.value }, query: { maker: scope.value.maker!, model: scope.value.model! } },
      }),
    ),
})
const open = (id: string) => router.push({ name: 'profile', params: { id }, query: query.value })

const make = () =>
  run(async () => {
    const made = await ask(
      api.POST('/api/v1/profiles', {
        body: {
          maker: scope.value.maker!,
          model: scope.value.model!,
          name: name.value.trim(),
          purpose: purpose.value.trim(),
          from: from.value || undefined,
        },
      }),
    )
    await open(made.id)
  })
useKeys([{ keys: ['Enter'], does: 'open it', run: () => cursor.current.value && open(cursor.current.value.id) }])
</script>

<template>
  <header>
    <h1>{{ model ? `Profiles for ${model.name}` : 'Profiles' }}</h1>
    <button
      v-if="may('maintainer')"
      class="act first"
      :disabled="!model"
      :title="model ? '' : 'Choose a model in the scope bar first'"
      @click="making = true"
    >
      New profile
    </button>
  </header>
  <div v-if="profiles.isError.value" class="notice bad" role="alert">{{ words(profiles.error.value) }}</div>
  <div v-else-if="list.length" class="list" v-bind="cursor.list.value" aria-label="Profiles">
    <div
      v-for="p in list"
      :key="p.id"
      class="item"
      v-bind="cursor.row(p)"
      :class="{ picked: p === cursor.current.value }"
    >
      <div role="gridcell">
        <router-link
          :to="{ name: 'profile', params: { id: p.id }, query: { ...query, maker: p.maker, model: p.model } }"
        >
          <span class="title"
            ><b dir="auto">{{ p.name }}</b
            ><span class="second" dir="auto">{{ p.purpose }}</span></span
          >
          <span>{{ p.makerName }} {{ [p.modelName, ...p.sisters.map((x) => x.name)].join(', ') }}</span>
          <span
            >{{ p.newest ? `no. ${p.newest} is out` : 'never published' }}
            <span v-if="begun('rules', p.id)" class="ochre">changed, not kept</span></span
          >
          <span class="second" :title="exactTime(p.changedAt)">{{ ago(p.changedAt) }} by {{ p.changedBy }}</span>
        </router-link>
      </div>
    </div>
  </div>
  <div v-else-if="!profiles.isPending.value" class="empty">
    <h1>No profile here yet</h1>
    <p class="second">
      A profile says what to take off one model, for one purpose.
      {{ model ? '' : 'Choose a model in the scope bar to make the first.' }}
    </p>
    <button v-if="model && may('maintainer')" class="act" @click="making = true">Make one for {{ model.name }}</button>
  </div>
  <SheetDialog
    v-if="making"
    :title="`A profile for ${model?.name}`"
    action="Make it"
    :ready="name.trim() !== ''"
    :wrong="wrong"
    @close="making = false"
    @act="make"
  >
    <v-text-field v-model="name" v-focus label="Edition" placeholder="Lending desk" maxlength="80" />
    <v-textarea
      v-model="purpose"
      label="For whom, in a sentence"
      placeholder="For a phone that goes to a stranger for a month."
      maxlength="500"
    />
    <v-select v-model="from" label="The profile to start from" :items="starts" />
    <div v-if="from && adopted.data.value" role="status">
      <p>
        <b>{{ adopted.data.value.carries.length }}</b> of its packages go here, too;
        {{ adopted.data.value.absent.length }} are not on this model; {{ adopted.data.value.unproven.length }} are not
        proven here.
      </p>
      <p v-for="u in adopted.data.value.unproven.slice(0, 5)" :key="u.package" class="second">
        <PackageName :name="u.package" /> {{ u.why }}
      </p>
    </div>
    <template #note>It starts with cautious rules; you move the cut line next.</template>
  </SheetDialog>
  <Teleport defer to="#margin">
    <h1>Profiles</h1>
    <p class="second">What to take off one model, for one purpose.</p>
    <h2>The cut line</h2>
    <p>The model's packages stand in order of load and harm ceiling. What is above the line goes; you move the line.</p>
    <h2>Releases</h2>
    <p>Publishing signs what goes. A release is never changed; the next one replaces it.</p>
  </Teleport>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 12px 18px;
  border-bottom: 1px solid var(--ink);
}
.list {
  overflow: auto;
}
.item a {
  display: grid;
  grid-template-columns: 1fr 170px 120px 210px;
  gap: 12px;
  align-items: baseline;
  padding: 9px 18px;
  border-bottom: 1px solid var(--row);
  text-decoration: none;
}
.item.picked {
  background: var(--picked);
  box-shadow: inset 3px 0 var(--ring);
}
.item a:focus-visible {
  outline-offset: -2px;
}
.title {
  display: flex;
  flex-direction: column;
}
b {
  font-weight: 600;
}
</style>
