<script setup lang="ts">
// A model's builds on lanes of time, an edition each. A build is a column: as
// full as it was tried, with a line where its graded share ends. What nobody
// captured is an empty, broken outline.
import { useElementSize } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { editionName, percent, type Gap, type OnLine } from './builds'
import { lanesOf } from './lanes'
import { count } from '@/format/numbers'

const props = defineProps<{ builds: OnLine[]; gaps: Gap[]; from?: string; to?: string; at?: string }>()
const emit = defineEmits<{ pick: [id: string] }>()

const box = ref<HTMLElement>()
const { width: room } = useElementSize(box)
// With few builds there is room for words; with many, columns stand close.
const roomy = computed(() => {
  const most = Math.max(
    1,
    ...[...new Set(props.builds.map((b) => b.carrier + b.region))].map(
      (e) => props.builds.filter((b) => b.carrier + b.region === e).length,
    ),
  )
  return (room.value - 110) / most >= 74
})
const least = computed(() => (roomy.value ? 74 : 24))
const drawn = computed(() => lanesOf(props.builds, props.gaps, least.value, Math.max(room.value - 110, 300)))
// What is picked is in view, whichever end it is at.
watch(
  [() => props.to, () => drawn.value.width],
  () => void nextTick(() => box.value?.querySelector('.to')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })),
  { immediate: true },
)
const words = (b: OnLine) =>
  b.packages
    ? `${b.version}, Android ${b.release}, ${b.securityPatch}: ${count(b.packages, 'package')}, ${percent(b.graded, b.packages)} % graded, ${percent(b.tried, b.packages)} % tried, ${count(b.phones, 'phone')}`
    : `${b.version}: nobody captured it`
</script>

<template>
  <div ref="box" class="box">
    <div v-for="(lane, n) in drawn.lanes" :key="lane.edition" class="lane" :class="{ roomy }">
      <span class="edition second">{{ editionName(lane.edition) }}</span>
      <div class="track" :style="{ width: `${drawn.width}px` }">
        <i v-for="y in drawn.years" :key="y.year" class="year" :style="{ left: `${y.x}px` }"
          ><span v-if="n === 0">{{ y.year }}</span></i
        >
        <template v-for="p in lane.placed" :key="p.key">
          <button
            v-if="p.build"
            class="build"
            :class="{ from: p.key === from, to: p.key === to, at: p.key === at, bare: !p.build.packages }"
            :style="{ left: `${p.x}px` }"
            :aria-label="words(p.build)"
            :aria-pressed="p.key === from || p.key === to"
            :title="words(p.build)"
            @click="emit('pick', p.key)"
          >
            <span class="version">{{ p.build.version }}</span>
            <span class="column">
              <i class="tried" :style="{ height: `${percent(p.build.tried, p.build.packages)}%` }" />
              <i class="graded" :style="{ bottom: `${percent(p.build.graded, p.build.packages)}%` }" />
            </span>
            <span v-if="roomy" class="figures second">
              <template v-if="p.build.packages"
                >{{ count(p.build.packages, 'package') }}<br />{{ percent(p.build.graded, p.build.packages) }} %
                graded<br />{{ percent(p.build.tried, p.build.packages) }} % tried</template
              ><template v-else>no capture</template>
            </span>
          </button>
          <span
            v-else-if="p.gap"
            class="gap"
            :class="{ pause: !p.gap.version }"
            :style="{ left: `${p.x}px` }"
            :title="`${p.gap.version}: ${p.gap.why}`"
          >
            <span class="version">{{ p.gap.version || '…' }}</span>
            <span v-if="p.gap.version" class="column" />
          </span>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.box {
  overflow: auto;
  max-height: 52vh;
  padding: 10px 18px 4px 0;
}
.lane {
  display: flex;
  width: max-content;
  min-width: 100%;
  border-bottom: 1px solid var(--row);
}
.edition {
  flex: none;
  width: 110px;
  padding: 26px 10px 0 18px;
  position: sticky;
  left: 0;
  z-index: 1;
  background: var(--sheet);
}
.track {
  position: relative;
  height: 132px;
  flex: none;
}
.lane:not(.roomy) .track {
  height: 96px;
}
.lane:not(.roomy) .column {
  height: 26px;
}
.year {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1px dotted var(--hair);
}
.year span {
  position: absolute;
  top: -6px;
  left: 3px;
  font-size: 11px;
  font-style: normal;
  color: var(--faint);
}
.build,
.gap {
  position: absolute;
  top: 6px;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  padding: 0 4px 2px 3px;
}
.version {
  font-size: 12px;
  line-height: 18px;
  white-space: nowrap;
}
.lane:not(.roomy) .version {
  writing-mode: vertical-rl;
  transform: rotate(180deg);
  height: 46px;
  font-size: 11px;
  line-height: 16px;
  margin-bottom: 4px;
}
.column {
  position: relative;
  width: 16px;
  height: 44px;
  border: 1px solid var(--ink);
  background: var(--sheet);
}
.tried {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 0;
  background: var(--ink);
}
.graded {
  position: absolute;
  left: -4px;
  right: -4px;
  height: 0;
  border-bottom: 2px solid var(--load-2);
}
.bare .column,
.gap .column {
  border: 1px dashed var(--faint);
  background: transparent;
}
.bare .column i {
  display: none;
}
.gap {
  color: var(--ochre);
}
.gap.pause {
  top: 40px;
}
.figures {
  font-size: 11px;
  line-height: 13px;
  margin-top: 2px;
  white-space: nowrap;
}
.from .version,
.to .version {
  font-weight: 700;
}
.from .column,
.to .column {
  box-shadow: 0 0 0 3px var(--ring);
}
.from .column {
  box-shadow:
    0 0 0 1px var(--sheet),
    0 0 0 3px var(--ring);
}
.at .version {
  text-decoration: underline;
  text-underline-offset: 2px;
}
</style>
