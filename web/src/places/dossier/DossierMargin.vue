<script setup lang="ts">
import { computed } from 'vue'
import { useEvidenceDialogs, type Subject } from '@/editing/dialogs'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { slugWords } from '@/format/vocabulary'
import FollowButton from '@/shell/FollowButton.vue'
import { buildName } from '@/composables/scope'
import KeyCap from '@/ui/KeyCap.vue'
import type { Dossier } from './dossier'
import type { Around } from './impact'

const props = defineProps<{ d: Dossier; around?: Around; subject: Subject }>()
const dialogs = useEvidenceDialogs()
const tried = computed(() => props.d.methods.some((m) => m.method === 'remove-for-user' && m.strip))
const lost = computed(() => props.d.missed.map(slugWords))
</script>

<template>
  <h1>If it goes</h1>
  <p class="second">removed for the user{{ around?.build ? `, from ${buildName(around.build)}` : '' }}</p>
  <ConsequenceList v-if="around?.build" :consequences="around.consequences" one />
  <h2 :class="{ harm: lost.length }">Missed by people</h2>
  <p>{{ lost.length ? lost.join(', ') : tried ? 'Nothing so far.' : 'Nobody has tried.' }}</p>
  <h2>In releases</h2>
  <ul v-if="d.releases.length">
    <li v-for="r in d.releases" :key="r.id">
      <a :href="`/r/${r.maker}/${r.model}/${r.edition}/${r.number}`" target="_blank"
        >{{ r.modelName }}, {{ r.editionName }}, no. {{ r.number }}</a
      >
    </li>
  </ul>
  <p v-else class="second">in none</p>
  <div class="acts">
    <button class="act" @click="dialogs.trial(subject)">Add a trial</button>
    <button class="act" @click="dialogs.load([subject])">Propose a load</button>
    <FollowButton :id="d.package.id" kind="package" :name="d.package.name" />
  </div>
  <div class="keys">
    <span><KeyCap of="t" /> trial</span><span><KeyCap of="1" />–<KeyCap of="4" /> load</span
    ><span><KeyCap of="g" /> neighbours</span><span><KeyCap of="u" /> back</span>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 18px;
}
</style>
