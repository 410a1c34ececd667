<script setup lang="ts">
import { computed, ref } from 'vue'
import { day } from '@/format/dates'
import { count } from '@/format/numbers'
import { originWord } from '@/format/vocabulary'
import PresenceStrip from '@/marks/PresenceStrip.vue'
import { byModel, type Dossier } from './dossier'

const props = defineProps<{ d: Dossier }>()
const models = computed(() => byModel(props.d.ships))
const opened = ref<string>()
</script>

<template>
  <div>
    <h2>Where it ships</h2>
    <table>
      <tbody>
        <template v-for="m in models" :key="m.model">
          <tr>
            <th scope="row">
              <button
                class="link"
                :aria-expanded="opened === m.model"
                @click="opened = opened === m.model ? undefined : m.model"
              >
                {{ m.model }}
              </button>
            </th>
            <td><PresenceStrip :cells="m.cells" :names="m.names" /></td>
            <td class="second">
              {{ m.first === m.last ? m.first : `${m.first} – ${m.last}`
              }}<template v-if="m.firstSeen">, seen {{ day(m.firstSeen) }}</template
              ><template v-if="m.lastSeen && day(m.lastSeen) !== day(m.firstSeen!)"> to {{ day(m.lastSeen) }}</template>
            </td>
          </tr>
          <tr v-if="opened === m.model">
            <td colspan="3">
              <table class="builds">
                <tbody>
                  <tr v-for="b in m.builds" :key="b.buildId">
                    <th scope="row">
                      {{ b.version
                      }}<span class="second">{{
                        [b.carrier, b.region]
                          .filter(Boolean)
                          .map((x) => ` · ${x}`)
                          .join('')
                      }}</span>
                    </th>
                    <td>Android {{ b.release }}</td>
                    <td>
                      {{
                        b.ships ? (b.switchedOff ? 'switched off' : 'ships it') : b.phones ? 'not there' : 'no capture'
                      }}
                    </td>
                    <td>{{ b.versionName }}</td>
                    <td class="mono path">{{ b.path }}</td>
                    <td class="second">{{ b.lastSeen ? `last seen ${day(b.lastSeen)}` : '' }}</td>
                  </tr>
                </tbody>
              </table>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <p v-if="d.shipsOn > models.length" class="second">
      and {{ count(d.shipsOn - models.length, 'more model', 'more models') }}.
    </p>
    <p v-if="!models.length" class="second">No captured firmware ships it; a person put it on a phone.</p>
    <p v-else class="second">Put there by: {{ originWord[d.origin] }}. First seen {{ day(d.package.firstSeen) }}.</p>
  </div>
</template>

<style scoped>
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
.builds {
  background: var(--soft);
  width: 100%;
}
.builds th,
.builds td {
  padding: 2px 12px 2px 8px;
  vertical-align: top;
}
.path {
  overflow-wrap: anywhere;
}
</style>
