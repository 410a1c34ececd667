<script setup lang="ts">
// What a change is about, whose it is, and where it stands.
import type { Schemas } from '@/api/client'
import { ago, exactTime } from '@/format/dates'
import { count } from '@/format/numbers'
import { useScope } from '@/composables/scope'
import AskSomebody from './AskSomebody.vue'

defineProps<{
  change: Schemas['ReviewedChange']
  place: number
  of: number
  askPerson: (person: string, words: string) => Promise<boolean>
}>()
const { query } = useScope()
</script>

<template>
  <header>
    <div>
      <h1 dir="auto">{{ change.title }}</h1>
      <p class="second">
        change {{ change.number }}, sent <span :title="exactTime(change.sentAt)">{{ ago(change.sentAt) }}</span> by
        <router-link class="link" :to="{ name: 'person', params: { id: change.authorId }, query }">{{
          change.own ? 'you' : change.author
        }}</router-link>, {{ change.authorAccepted }} of {{ change.authorSent }} earlier edits accepted ·
        {{ count(change.edits, 'edit') }}{{ change.round > 1 ? ` · round ${change.round}` : ''
        }}{{ change.importedFrom ? ` · imported from ${change.importedFrom}` : ''
        }}{{ change.reverts ? ` · takes back change ${change.reverts}` : ''
        }}{{ change.revertedBy ? ` · taken back by change ${change.revertedBy}` : '' }}
      </p>
      <p v-if="change.words" dir="auto">“{{ change.words }}”</p>
    </div>
    <div class="right">
      <span v-if="place >= 0" class="second">{{ place + 1 }} of {{ of }} in the queue</span>
      <router-link class="second" :to="{ path: '/review', query }">the queue</router-link>
      <AskSomebody
        v-if="change.state === 'sent'"
        :author-id="change.authorId"
        :asked="change.asked"
        :ask-person="askPerson"
      />
    </div>
  </header>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  gap: 18px;
  align-items: end;
  padding: 13px 18px 10px;
  border-bottom: 1px solid var(--ink);
}
.right {
  display: flex;
  gap: 14px;
  align-items: baseline;
  white-space: nowrap;
}
</style>
