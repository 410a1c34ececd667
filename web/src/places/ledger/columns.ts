import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'

// The columns beside the load mark and the name, with their widths.
const widths = {
  label: 'minmax(90px, 1fr)',
  trials: '138px',
  ceiling: '56px',
  standing: '68px',
  resting: '64px',
  takes: '80px',
  phones: '84px',
  origin: '92px',
  icon: '34px',
  builds: 'var(--builds)',
} as const
export type Column = keyof typeof widths

export const columnWord: Record<Column, string> = {
  label: 'label',
  trials: 'trials, near to far',
  ceiling: 'harm ceiling',
  standing: 'standing',
  resting: 'rests on it',
  takes: 'what it takes of a phone',
  phones: 'phones and people',
  origin: 'who put it there',
  icon: 'icon on the screen',
  builds: 'builds that ship it',
}

const usual: Column[] = ['label', 'trials', 'ceiling', 'standing', 'resting', 'icon', 'builds']
const stored = useLocalStorage<Column[]>('roster-ledger-columns', usual)

// asked are columns that are shown for as long as the rows are ordered or found by
// what stands in them; how many rest on each row makes room for them.
export const asked = ref<Column[]>([])

// useColumns is which columns this browser's person wants to see; it is
// remembered.
export function useColumns() {
  const chosen = computed({
    get: () => (Object.keys(widths) as Column[]).filter((c) => stored.value.includes(c)),
    set: (list) => (stored.value = list),
  })
  const shown = computed(() =>
    (Object.keys(widths) as Column[]).filter(
      (c) =>
        asked.value.includes(c) ||
        (stored.value.includes(c) && !(c === 'resting' && asked.value.some((a) => !stored.value.includes(a)))),
    ),
  )
  const template = computed(() => ['34px minmax(180px, 2.1fr)', ...shown.value.map((c) => widths[c])].join(' '))
  const has = (c: Column) => shown.value.includes(c)
  return { chosen, template, has }
}
