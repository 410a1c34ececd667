<script setup lang="ts">
// What you follow: what happens to it reaches your Desk and your feed.
import { useQuery } from '@tanstack/vue-query'
import { api, ask, words, type Schemas } from '@/api/client'
import { useChange } from '@/composables/change'
import { day } from '@/format/dates'

const follows = useQuery({ queryKey: ['follows'], queryFn: () => ask(api.GET('/api/v1/follows')).then((r) => r.items) })
type Followed = Schemas['Followed']
const kind: Record<Followed['kind'], string> = {
  package: 'package',
  model: 'model',
  profile: 'profile and its releases',
}
const to = (f: Followed) =>
  f.kind === 'package'
    ? `/packages/${f.name}`
    : f.kind === 'model'
      ? { path: '/builds', query: { maker: f.maker, model: f.model } }
      : `/profiles/${f.id}`
const { wrong, run } = useChange('follows')
const end = (f: Followed) =>
  run(() => ask(api.DELETE('/api/v1/follows/{kind}/{id}', { params: { path: { kind: f.kind, id: f.id } } })))
</script>

<template>
  <section class="paper" tabindex="0" role="region" aria-label="What you follow">
    <h1>What you follow</h1>
    <p v-if="follows.isError.value" class="harm" role="alert">{{ words(follows.error.value) }}</p>
    <p v-if="wrong" class="harm" role="alert">{{ wrong }}</p>
    <table v-if="follows.data.value?.length" class="listed">
      <thead>
        <tr>
          <th>What</th>
          <th>It is a</th>
          <th>Since</th>
          <th><span class="visually-hidden">Follow no longer</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in follows.data.value" :key="f.kind + f.id">
          <td>
            <router-link class="link" :to="to(f)" :class="{ mono: f.kind === 'package' }">{{ f.name }}</router-link>
          </td>
          <td class="second">{{ kind[f.kind] }}</td>
          <td class="second">{{ day(f.at) }}</td>
          <td class="n">
            <button class="link second" :aria-label="`Follow ${f.name} no longer`" @click="end(f)">no longer</button>
          </td>
        </tr>
      </tbody>
    </table>
    <div v-else-if="follows.isSuccess.value" class="empty">
      <h1>You follow nothing</h1>
      <p class="second">
        <b>Follow</b> stands in a package's Dossier, on a model's Builds and on a profile. What happens to it then comes
        to your Desk and your feed.
      </p>
    </div>
  </section>
</template>
