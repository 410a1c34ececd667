<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, words } from '@/api/client'
import SheetDialog from '@/ui/SheetDialog.vue'
import { ago, exactTime } from '@/format/dates'
import { ceiling, count } from '@/format/numbers'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import { nameOf } from '@/places/builds/builds'
import SigningKeys from './SigningKeys.vue'
import CopyButton from '@/ui/CopyButton.vue'

const { scope, query } = useScope()
const releases = useQuery({
  queryKey: computed(() => ['releases', scope.value]),
  queryFn: () => ask(api.GET('/api/v1/releases', { params: { query: { ...scope.value } } })).then((r) => r.items),
})
const list = computed(() => releases.data.value ?? [])
const { may } = useSession()
const withdrawing = ref<{ id: string; modelName: string; editionName: string; number: number }>()
const reason = ref('')
const { busy, wrong, run } = useChange('releases', 'profile')
const withdraw = () =>
  run(async () => {
    await ask(
      api.POST('/api/v1/releases/{id}/withdrawal', {
        params: { path: { id: withdrawing.value!.id } },
        body: { reason: reason.value.trim() },
      }),
    )
    withdrawing.value = undefined
    reason.value = ''
  })
</script>

<template>
  <header><h1>Releases</h1></header>
  <div v-if="releases.isError.value" class="notice bad" role="alert">{{ words(releases.error.value) }}</div>
  <ol v-else-if="list.length">
    <li v-for="r in list" :key="r.id" :class="{ old: r.state !== 'current' }">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank"
        >{{ r.makerName }} {{ r.modelName }}: {{ r.editionName }}</a
      >
      <span>no. {{ r.number }}</span>
      <span :class="{ harm: r.state === 'withdrawn' }">{{ r.state }}</span>
      <span>{{ count(r.steps, 'package') }}</span>
      <span
        class="second"
        :title="
          r.own.phones
            ? `${r.own.harmed} of ${count(r.own.phones, 'phone')} harmed`
            : 'no phone that ran it was checked for a day'
        "
        >{{ r.own.phones ? `≤ ${ceiling(r.own.ceiling)} of ${count(r.own.phones, 'phone')}` : 'not checked yet' }}</span
      >
      <span class="second" :title="exactTime(r.publishedAt)">{{ ago(r.publishedAt) }} by {{ r.publishedBy }}</span>
      <span class="mono second" :title="r.sha256">{{ r.sha256.slice(0, 12) }}</span>
      <CopyButton :text="r.sha256" :what="`the SHA-256 of no. ${r.number}`" />
      <span
        ><button
          v-if="may('maintainer') && r.state !== 'withdrawn'"
          class="link second"
          :aria-label="`Withdraw ${r.modelName}: ${r.editionName}, no. ${r.number}`"
          @click="withdrawing = r"
        >
          withdraw
        </button></span
      >
      <ul v-if="r.notFor.length" class="why">
        <li v-for="n in r.notFor" :key="n.buildId" class="harm">
          <router-link
            class="link"
            :to="{
              name: 'hold',
              params: { release: r.id, build: n.buildId },
              query: { maker: r.maker, model: r.model },
            }"
            >not for {{ nameOf(n) }}</router-link
          >: {{ n.why }}
        </li>
      </ul>
      <p v-if="r.state === 'withdrawn'" class="second why">{{ r.withdrawnBy }}: {{ r.withdrawnReason }}</p>
    </li>
  </ol>
  <div v-else-if="!releases.isPending.value" class="empty">
    <h1>Nothing is published here yet</h1>
    <p class="second">A release comes out of a profile: compose one and publish it.</p>
    <router-link class="act" :to="{ path: '/profiles', query }">To the profiles</router-link>
  </div>
  <SheetDialog
    v-if="withdrawing"
    :title="`Withdraw ${withdrawing.modelName}: ${withdrawing.editionName}, no. ${withdrawing.number}`"
    action="Withdraw it"
    :ready="reason.trim() !== ''"
    :busy="busy"
    :wrong="wrong"
    @close="withdrawing = undefined"
    @act="withdraw"
  >
    <p>
      Its page, its feed and every script downloaded from now on say so first, and the scripts refuse to run. It stays
      where it is, for those who have run it.
    </p>
    <v-textarea v-model="reason" v-focus label="Why, for everybody who has run it" maxlength="1000" rows="3" />
    <template #note>This can not be taken back; publish another number.</template>
  </SheetDialog>
  <Teleport defer to="#margin">
    <h1>Releases</h1>
    <p class="second">What people run on their phones. They need no sign-in: send them the page.</p>
    <p class="list"><a href="/r" target="_blank">The public list</a></p>
    <h2>Checked by anyone</h2>
    <p>Each is signed. Its page shows the line to type, and no connection is needed for it.</p>
    <h2>Undone by anyone</h2>
    <p>Every script has an undo beside it.</p>
    <SigningKeys />
  </Teleport>
</template>

<style scoped>
header {
  padding: 12px 18px;
  border-bottom: 1px solid var(--ink);
}
ol {
  overflow: auto;
}
ol > li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 46px 70px 84px 124px 170px 84px 58px;
  gap: 12px;
  padding: 8px 18px;
  border-bottom: 1px solid var(--row);
  align-items: baseline;
}
li > a {
  font-weight: 600;
}
li.old > a {
  font-weight: 400;
}
.why {
  grid-column: 1 / -1;
}
.list {
  margin-top: 8px;
}
</style>
