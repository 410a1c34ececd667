<script setup lang="ts">
import KeyCap from '@/ui/KeyCap.vue'
// Why the line under the cursor stands where it does.
import type { Line } from './desk'

defineProps<{ line?: Line; behind: boolean; role: string; tomorrow: Date }>()
</script>

<template>
  <h1>{{ line ? 'Why it stands here' : 'Desk' }}</h1>
  <template v-if="line">
    <dl>
      <div>
        <dt>what waiting can do</dt>
        <dd>{{ line.severity }}</dd>
      </div>
      <div>
        <dt>{{ line.affected ? line.whom || 'whom it harms' : 'nobody in particular' }}</dt>
        <dd>× {{ line.reach.toFixed(2) }}</dd>
      </div>
      <div>
        <dt>how long it has waited</dt>
        <dd>× {{ line.age.toFixed(2) }}</dd>
      </div>
      <div class="sum">
        <dt>points</dt>
        <dd>{{ line.points }}</dd>
      </div>
    </dl>
    <p class="second">
      Fifteen people or phones double it, and so do four weeks. A line that is worse than others of its kind counts half
      as much again.
    </p>
  </template>
  <h2>It goes by itself</h2>
  <p>
    A line is there for as long as its cause is. Deal with it and it is gone, for everybody; put it off or hand it over
    and it is gone for you.
  </p>
  <h2>As a feed</h2>
  <p>
    <router-link class="link" to="/people">Your own page</router-link> makes an address of it that feed readers follow.
  </p>
  <div class="keys">
    <span><KeyCap of="j" /> <KeyCap of="k" /> move</span><span><KeyCap of="Enter" /> go there</span>
    <span v-if="behind"><KeyCap of="b" /> bring back</span>
    <template v-else
      ><span><KeyCap of="s" /> put off</span><span><KeyCap of="h" /> hand over</span
      ><span><KeyCap of="d" /> done</span></template
    >
  </div>
</template>

<style scoped>
dl {
  margin: 8px 0 6px;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 2px 0;
}
dt {
  color: var(--second);
}
dd {
  white-space: nowrap;
}
.sum {
  border-top: 1px solid var(--ink);
  font-weight: 650;
}
</style>
