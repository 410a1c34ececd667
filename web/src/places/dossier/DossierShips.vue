<script setup lang="ts">
import { computed } from 'vue'
import EditValue from '@/evidence/EditValue.vue'
import { ago, exactTime, fieldWord } from '@/evidence/words'
import PresenceStrip from '@/marks/PresenceStrip.vue'
import { byModel, type Dossier } from './dossier'

const props = defineProps<{ d: Dossier }>()
const models = computed(() => byModel(props.d.ships))
</script>

<template>
  <section class="band">
    <div>
      <h2>Where it ships</h2>
      <table>
        <tbody>
          <tr v-for="m in models" :key="m.model">
            <th scope="row">{{ m.model }}</th>
            <td><PresenceStrip :cells="m.cells" :names="m.names" /></td>
            <td class="second">{{ m.first === m.last ? m.first : `${m.first} – ${m.last}` }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="!models.length" class="second">No captured firmware ships it; a person put it on a phone.</p>
    </div>
    <div id="history">
      <h2>Lately</h2>
      <ul>
        <li v-for="h in d.history.slice(0, 40)" :key="h.id">
          <span class="second" :title="exactTime(h.at)">{{ ago(h.at) }}</span>
          <span
            >{{ fieldWord[h.field] }}{{ h.scopeName === 'everywhere' ? '' : ` for ${h.scopeName}` }}:
            <template v-if="h.field !== 'trial' && h.before != null"
              ><EditValue :field="h.field" :value="h.before" /> →
            </template>
            <EditValue :field="h.field" :value="h.after" />
            <span class="second said">{{ h.author }}, accepted by {{ h.acceptedBy }}, change {{ h.change }}</span></span
          >
        </li>
      </ul>
      <p v-if="!d.history.length" class="second">Nothing has been said about it yet.</p>
    </div>
  </section>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: 2fr 3fr;
  gap: 0 28px;
  padding: 14px 18px 28px;
}
h2 {
  margin-bottom: 6px;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 3px 14px 3px 0;
  white-space: nowrap;
}
td {
  padding: 3px 14px 3px 0;
}
.said {
  margin-left: 6px;
}
li {
  display: grid;
  grid-template-columns: 100px 1fr;
  gap: 8px;
  padding: 2px 0;
}
</style>
