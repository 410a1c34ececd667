import { ref, type ComputedRef } from 'vue'
import type { Subject } from '@/editing/dialogs'
import type { LedgerRow } from './ledger'

// useMarked keeps which rows are marked for one edit to all of them. They stay
// marked while the filter changes, so that one edit can reach across several
// views.
export function useMarked(shown: ComputedRef<LedgerRow[]>) {
  const marked = ref(new Map<string, Subject>())
  // mark turns rows on or off; without a wish each becomes what it was not.
  function mark(rows: LedgerRow[], on?: boolean) {
    const next = new Map(marked.value)
    for (const row of rows) {
      if (on ?? !next.has(row.name)) next.set(row.name, row)
      else next.delete(row.name)
    }
    marked.value = next
  }
  // click marks as lists do: with Ctrl one row, with Shift all from the cursor.
  function click(e: MouseEvent, cursor: number, to: number) {
    const row = shown.value[to]
    if (e.shiftKey) mark(shown.value.slice(Math.min(cursor, to), Math.max(cursor, to) + 1), true)
    else if ((e.ctrlKey || e.metaKey) && row) mark([row])
  }
  const clear = () => (marked.value = new Map())
  return { marked, mark, click, clear }
}
