<script setup lang="ts">
import { useKeyList } from '@/composables/keys'

const list = useKeyList()
const shown = (key: string) => ({ ' ': 'Space', ArrowDown: '↓', ArrowUp: '↑' })[key] ?? key
</script>

<template>
  <v-dialog v-model="list.shown" width="420" aria-labelledby="keys-title">
    <div class="panel">
      <h1 id="keys-title">Keys of this place</h1>
      <table>
        <tbody>
          <template v-for="group in list.groups" :key="group[0]?.does">
            <tr v-for="k in group" :key="k.does">
              <td>
                <kbd v-for="key in k.keys" :key="key">{{ shown(key) }}</kbd>
              </td>
              <td>{{ k.does }}</td>
            </tr>
          </template>
        </tbody>
      </table>
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
h1 {
  margin-bottom: 10px;
}
td {
  padding: 3px 14px 3px 0;
}
kbd + kbd {
  margin-left: 4px;
}
</style>
