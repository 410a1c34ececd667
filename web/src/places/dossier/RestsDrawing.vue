<script setup lang="ts">
// The neighbourhood of a package: left what it rests on, right what rests on
// it. A heavy line is a hard link, a thin one soft, a dashed one a permission
// or a user that both share.
import { computed, nextTick, ref, watch } from 'vue'
import LoadMark from '@/marks/LoadMark.vue'
import { useScope } from '@/composables/scope'
import { layoutOf, lineTo, short, sidesOf, type Neighbour } from './drawing'
import type { Around } from './impact'

const props = defineProps<{ around: Around; name: string; label: string }>()
const { query } = useScope()
const whole = ref({ on: false, from: false })
watch(
  () => props.name,
  () => (whole.value = { on: false, from: false }),
)
const sides = computed(() => sidesOf(props.around))
const layout = computed(() => layoutOf(sides.value))
const lineClass = (n: Neighbour) => ({ hard: n.hard, loose: !n.hard && n.kinds.every((k) => k !== 'library') })

// The arrows walk through both lists; Enter goes to the package, as a link does.
const drawing = ref<HTMLElement>()
function walk(e: KeyboardEvent) {
  const at = document.activeElement as HTMLElement | null
  const lists = [...(drawing.value?.querySelectorAll('ul') ?? [])].map((l) => [
    ...l.querySelectorAll<HTMLElement>('a, button'),
  ])
  const side = lists.findIndex((l) => at && l.includes(at))
  const here = side < 0 ? -1 : lists[side]!.indexOf(at!)
  const to =
    side < 0
      ? (lists[1]?.[0] ?? lists[0]?.[0])
      : e.key === 'ArrowDown'
        ? lists[side]![here + 1]
        : e.key === 'ArrowUp'
          ? lists[side]![here - 1]
          : lists[e.key === 'ArrowLeft' ? 0 : 1]?.[
              Math.min(here, (lists[e.key === 'ArrowLeft' ? 0 : 1]?.length ?? 1) - 1)
            ]
  if (!to) return
  e.preventDefault()
  e.stopPropagation()
  to.focus()
}
function unfold(end: 'on' | 'from') {
  whole.value[end] = !whole.value[end]
  void nextTick(() => drawing.value?.parentElement?.querySelector<HTMLElement>(`ul.rest.${end} a`)?.focus())
}
defineExpose({ focus: () => drawing.value?.querySelector<HTMLElement>('ul.from a, ul.on a')?.focus() })
</script>

<template>
  <div ref="drawing" class="drawing" @keydown.up="walk" @keydown.down="walk" @keydown.left="walk" @keydown.right="walk">
    <template v-for="(s, side) in sides" :key="s.end">
      <div v-if="side === 1" class="centre" :style="{ height: `${layout.height}px` }">
        <span class="box" dir="auto" :title="name">{{ label || short(name, '') }}</span>
      </div>
      <div class="side" :class="s.end">
        <h3>
          {{ s.end === 'on' ? 'it rests on' : 'rests on it' }} <b v-if="s.all.length">{{ s.all.length }}</b>
        </h3>
        <div class="both" :style="{ height: `${layout.height}px` }">
          <ul :class="s.end" :aria-label="s.end === 'on' ? 'What it rests on' : 'What rests on it'">
            <li v-for="n in s.shown" :key="n.name" :style="{ height: `${layout.rowHeight}px` }">
              <router-link
                :to="{ name: 'dossier', params: { name: n.name }, query }"
                :title="[n.name, n.label, n.kinds.join('; '), ...n.lines].filter(Boolean).join('\n')"
                ><LoadMark :load="n.load" :size="11" silent /><span class="mono cut" :class="{ strong: n.hard }"
                  ><bdi>{{ short(n.name, name) }}</bdi></span
                ></router-link
              >
              <p v-if="layout.rowHeight > 30" class="second">{{ n.kinds.join('; ') }}</p>
              <span v-else class="visually-hidden">{{ n.kinds.join('; ') }}</span>
            </li>
            <li v-if="s.rest.length" :style="{ height: `${layout.rowHeight}px` }">
              <button class="link second" :aria-expanded="whole[s.end]" @click="unfold(s.end)">
                {{ whole[s.end] ? 'hide' : 'and' }} {{ s.rest.length }} more
              </button>
            </li>
            <li v-if="!s.all.length" class="faint nothing">nothing</li>
          </ul>
          <svg
            v-if="s.all.length"
            :viewBox="`0 0 ${layout.width} ${layout.height}`"
            :height="layout.height"
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            <path v-for="(n, i) in s.shown" :key="n.name" :d="lineTo(s, i, layout)" :class="lineClass(n)" />
            <path v-if="s.rest.length" :d="lineTo(s, s.shown.length, layout)" class="loose" />
          </svg>
        </div>
      </div>
    </template>
  </div>
  <template v-for="s in sides" :key="s.end">
    <ul
      v-if="whole[s.end] && s.rest.length"
      class="rest"
      :class="s.end"
      :aria-label="s.end === 'on' ? 'What else it rests on' : 'What else rests on it'"
    >
      <li v-for="n in s.rest" :key="n.name">
        <router-link
          :to="{ name: 'dossier', params: { name: n.name }, query }"
          :title="[n.label, ...n.lines].join('\n')"
          ><LoadMark :load="n.load" :size="11" silent /><span class="mono cut"
            ><bdi>{{ short(n.name, name) }}</bdi></span
          ></router-link
        >
      </li>
    </ul>
  </template>
</template>

<style scoped>
.drawing {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto minmax(0, 1fr);
  align-items: end;
}
h3 {
  font-size: 12px;
  font-weight: 400;
  color: var(--second);
  margin-bottom: 4px;
}
.from h3 {
  text-align: right;
}
.both {
  display: flex;
  align-items: center;
}
.side.from .both {
  flex-direction: row-reverse;
}
svg {
  flex: none;
  width: 15%;
  min-width: 24px;
  max-width: 64px;
}
ul {
  flex: 1;
  min-width: 0;
}
ul.from {
  padding-left: 4px;
}
li a {
  display: flex;
  gap: 6px;
  align-items: baseline;
  text-decoration: none;
  line-height: 20px;
}
li a .mono {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12px;
  /* Cut at the front: the last segments tell packages apart. */
  direction: rtl;
  text-align: left;
}
li a > svg {
  flex: none;
  width: 15px;
  min-width: 0;
  max-width: none;
}
li a .cut {
  flex: 1;
  min-width: 0;
}
li a:hover .mono {
  text-decoration: underline;
}
li p {
  line-height: 15px;
  font-size: 12px;
  padding-left: 21px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.rest li {
  break-inside: avoid;
}
.rest {
  columns: 2;
  column-gap: 16px;
  margin-top: 8px;
  padding-top: 6px;
  border-top: 1px solid var(--hair);
}
.strong {
  font-weight: 600;
}
.nothing {
  padding: 4px 0;
}
.side.on .nothing {
  text-align: right;
  padding-right: 12px;
}
.centre {
  display: flex;
  align-items: center;
}
.box {
  max-width: 118px;
  padding: 5px 11px;
  background: var(--bar);
  color: var(--bar-ink);
  font-weight: 650;
  font-size: 12px;
  overflow-wrap: anywhere;
}
path {
  fill: none;
  stroke: var(--load-2, var(--second));
  stroke-width: 1.4;
  vector-effect: non-scaling-stroke;
}
path.hard {
  stroke: var(--ink);
  stroke-width: 2.4;
}
path.loose {
  stroke: var(--faint);
  stroke-dasharray: 4 3;
}
</style>
