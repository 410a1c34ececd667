<script setup lang="ts">
import { useFocusBack } from '@/composables/layers'
import { useKeyList, useKeyWay, writesCharacter } from '@/composables/keys'
import { useSession } from '@/composables/session'
import MarkSamples from './MarkSamples.vue'
import KeyCap from '@/ui/KeyCap.vue'

const list = useKeyList()
const way = useKeyWay()
useFocusBack(() => list.shown)
const { person } = useSession()
</script>

<template>
  <v-dialog v-model="list.shown" width="420" aria-labelledby="keys-title">
    <div class="panel">
      <h1 id="keys-title">Keys and marks of this place</h1>
      <table>
        <tbody>
          <template v-for="group in list.groups" :key="group[0]?.does">
            <tr v-for="k in group.filter((k) => way !== 'off' || !k.keys.every(writesCharacter))" :key="k.does">
              <td>
                <span v-for="key in k.keys" :key="key"><KeyCap :of="key" /></span>
              </td>
              <td>{{ k.does }}</td>
            </tr>
          </template>
        </tbody>
      </table>
      <MarkSamples />
      <p v-if="person" class="second">
        {{ way === 'off' ? 'Keys that write a character are switched off.' : 'Do letters get in your way?' }}
        <router-link class="link" :to="{ name: 'person', params: { id: person.id } }" @click="list.shown = false"
          >Press them otherwise</router-link
        >
      </p>
    </div>
  </v-dialog>
</template>

<style scoped>
.panel {
  background: var(--sheet);
  border: 1px solid var(--ink);
  padding: 18px 20px;
  max-height: 80vh;
  overflow: auto;
}
p {
  margin-top: 12px;
}
h1 {
  margin-bottom: 10px;
}
td {
  padding: 3px 14px 3px 0;
}
td span + span {
  margin-left: 4px;
}
</style>
