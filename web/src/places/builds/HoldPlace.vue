<script setup lang="ts">
// A release on a build: what is otherwise there, what a new draft would make of
// it, and what would prove that.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, words, type Schemas } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { ceiling, count } from '@/format/numbers'
import { roleName } from '@/format/vocabulary'
import PackageName from '@/marks/PackageName.vue'
import FollowButton from '@/shell/FollowButton.vue'
import { useChange } from '@/composables/change'
import { useScope } from '@/composables/scope'
import { useSession } from '@/composables/session'
import { addressOf, holdWord, nameOf } from './builds'
import HoldLift from './HoldLift.vue'
import HoldMark from './HoldMark.vue'
import HoldRedraft from './HoldRedraft.vue'
import ProofPlan from './ProofPlan.vue'

const route = useRoute()
const router = useRouter()
const { query } = useScope()
const { may } = useSession()
const path = computed(() => ({
  path: { id: String(route.params.release), build: String(route.params.build) },
}))
const held = useQuery({
  queryKey: computed(() => ['hold', path.value.path]),
  queryFn: () => ask(api.GET('/api/v1/releases/{id}/builds/{build}', { params: path.value })),
})
const h = computed(() => held.data.value)
// What is said of several packages in the same words stands once.
const findings = computed(() => {
  const list: Schemas['Finding'][] = []
  for (const f of h.value?.hold.findings ?? []) {
    const same = list.find((x) => x.state === f.state && x.why === f.why && x.role === f.role)
    if (same) same.packages = [...same.packages, ...f.packages]
    else list.push({ ...f })
  }
  return list
})
const { busy, wrong, run } = useChange('releases', 'profile', 'desk')
const lift = (why: string) =>
  run(() => ask(api.POST('/api/v1/releases/{id}/builds/{build}/lift', { params: path.value, body: { why } })))
// One action: the profile is drawn anew and stands there to be looked at.
const draft = (want: boolean) =>
  run(async () => {
    const made = await ask(
      api.POST('/api/v1/releases/{id}/builds/{build}/draft', {
        params: { ...path.value, header: { 'If-Match': `"${h.value!.revision}"` } },
        body: { want },
      }),
    )
    await router.push({ name: 'profile', params: { id: made.profile }, query: query.value })
  })
const scopeOf = (p: { maker: string; model: string }) => ({ maker: p.maker, model: p.model })
</script>

<template>
  <div v-if="held.isError.value" class="notice bad" role="alert">{{ words(held.error.value) }}</div>
  <section v-else-if="h" class="paper hold" tabindex="0" role="region" aria-label="A release on a firmware">
    <header>
      <div>
        <h1>
          {{ h.release.editionName }}, no. {{ h.release.number }} on {{ h.release.modelName }} {{ nameOf(h.build) }}
        </h1>
        <p class="state" :class="{ harm: h.hold.stoppedAt }">
          <HoldMark :hold="h.hold" silent />
          <template v-if="h.hold.lifted">may run there all the same;</template>
          <span class="second">{{ h.hold.words }}</span>
        </p>
      </div>
      <router-link
        v-if="h.since"
        class="act"
        :to="addressOf(`build:${h.since}`, `build:${h.build.id}`, scopeOf(h.build))"
        >What the firmware brings</router-link
      >
    </header>
    <p v-if="h.release.state !== 'current'" class="notice">
      This release is {{ h.release.state }}: what stands here is for those who still have it.
    </p>
    <p v-if="h.hold.stoppedAt" class="notice bad">
      <b>Marked as not for this firmware</b
      ><span :title="exactTime(h.hold.stoppedAt)">, {{ ago(h.hold.stoppedAt) }}</span
      >: its page, its status and the feed say so, and its scripts refuse it there. A new release lifts that, or a
      person with a reason.
    </p>
    <p v-if="h.hold.lifted" class="notice">
      <b>{{ h.hold.liftedBy }} lifted the mark:</b> <span dir="auto">{{ h.hold.lifted }}</span>
    </p>

    <section>
      <h2>What is otherwise there</h2>
      <table v-if="findings.length" class="listed">
        <tbody>
          <tr v-for="(f, i) in findings" :key="i">
            <td class="found" :class="{ harm: f.state === 'stops', ochre: f.state === 'role-at-risk' }">
              {{ f.role ? `${holdWord[f.state]}: ${roleName(f.role)}` : holdWord[f.state] }}
            </td>
            <td>
              <div v-for="p in f.packages" :key="p">
                <router-link :to="{ name: 'dossier', params: { name: p }, query: scopeOf(h.build) }"
                  ><PackageName :name="p"
                /></router-link>
              </div>
            </td>
            <td>
              {{ f.why }}
              <span v-if="f.others.length && f.state === 'stops'" class="second"
                >(<PackageName v-for="o in f.others" :key="o" :name="o" /> stays)</span
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="second">
        Nothing: {{ h.hold.ships }} of its packages are there, {{ h.hold.tried }} of them were tried on it.
      </p>
    </section>

    <HoldRedraft
      v-if="h.redraft"
      :redraft="h.redraft"
      :profile="h.profile"
      :busy="busy"
      :wrong="wrong"
      @draft="draft"
    />

    <section v-if="h.plan.length" aria-label="What would prove it">
      <h2>What would prove it there</h2>
      <ProofPlan :plan="h.plan" :ceiling="h.ceiling" :left="h.redraft?.unproven ?? []" />
      <p v-if="h.wanted" class="second">
        {{ h.wanted.askedBy }} asked for it {{ ago(h.wanted.askedAt) }}; {{ count(h.wanted.left.length, 'package') }} of
        {{ h.wanted.packages.length }} are left.
        <router-link class="link" :to="{ name: 'wanted', params: { id: h.wanted.id }, query }"
          >What technicians see</router-link
        >
      </p>
    </section>

    <section v-if="h.hold.stoppedAt && may('maintainer')">
      <h2>It may run there all the same?</h2>
      <HoldLift :busy="busy" :lift="lift" />
    </section>
  </section>
  <Teleport defer to="#margin">
    <template v-if="h">
      <h1>{{ h.release.editionName }}</h1>
      <p class="second">for {{ h.release.modelName }}, {{ count(h.release.steps, 'package') }}</p>
      <FollowButton :id="h.profile" kind="profile" :name="h.release.editionName" />
      <h2>The firmware</h2>
      <p>
        Android {{ h.build.release }}, {{ h.build.securityPatch }}; {{ count(h.build.packages, 'package') }},
        {{ count(h.build.phones, 'phone') }} known.
      </p>
      <h2>At most harmed</h2>
      <p>The rules let go what harms at most {{ ceiling(h.ceiling) }}.</p>
    </template>
    <h2>How it is worked out</h2>
    <p class="second">
      The release's own steps against what phones of this firmware said rests on what, who can do which job, and what an
      update brought back to them.
    </p>
  </Teleport>
</template>

<style scoped>
.hold {
  padding-bottom: 30px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: end;
  flex-wrap: wrap;
  gap: 8px 20px;
  padding-bottom: 10px;
  border-bottom: 1px solid var(--ink);
}
header .act {
  text-decoration: none;
}
.state {
  display: flex;
  gap: 6px;
  align-items: center;
}
.notice {
  margin-top: 10px;
}
.hold > section {
  margin-top: 18px;
}
h2 {
  font-size: 15px;
  margin-bottom: 4px;
}
.found {
  white-space: nowrap;
}
</style>
