// Lists: the cursor, what is marked, groups, and how keys are pressed.
import { expect, test } from '@playwright/test'
import { cursorAt, rowId } from '../../web/src/composables/cursor'
import { keyOf } from '../../web/src/composables/keys'
import { toggled } from '../../web/src/composables/marking'
import type { LedgerRow } from '../../web/src/places/ledger/ledger'
import { lines } from '../../web/src/places/ledger/lines'
import { inSlots } from '../../web/src/places/ledger/visible'
import { viewIn, viewQuery } from '../../web/src/places/ledger/view'

test('the cursor stays on its item, and goes to what comes to its place', () => {
  const list = ['a', 'b', 'c']
  expect(cursorAt(list, 'b', 1)).toBe(1)
  expect(cursorAt(['x', ...list], 'b', 1)).toBe(2)
  expect(cursorAt(['a', 'c'], 'b', 1)).toBe(1)
  expect(cursorAt(['a'], 'c', 2)).toBe(0)
  expect(cursorAt([], 'c', 2)).toBe(0)
  expect(cursorAt(list, undefined, 0)).toBe(0)
  expect(rowId('line', 'a b\tc')).not.toMatch(/\s/)
})

test('marking turns round what is marked, or does as one wishes', () => {
  const key = (s: string) => s
  expect(toggled([], key, ['a', 'b'])).toEqual(['a', 'b'])
  expect(toggled(['a'], key, ['a', 'b'])).toEqual(['b'])
  expect(toggled(['a'], key, ['a', 'b'], true)).toEqual(['a', 'b'])
  expect(toggled(['a', 'c'], key, ['a', 'b'], false)).toEqual(['c'])
})

test('letters are pressed as somebody has chosen, and the arrows as ever', () => {
  const press = (key: string, more: object = {}) => ({ key, code: '', ctrlKey: false, altKey: false, metaKey: false, shiftKey: false, ...more })
  expect(keyOf(press('j'), 'plain')).toBe('j')
  expect(keyOf(press('j', { altKey: true }), 'plain')).toBeUndefined()
  for (const way of ['plain', 'alt', 'ctrl-alt', 'off'] as const) {
    expect(keyOf(press('ArrowDown'), way)).toBe('ArrowDown')
    expect(keyOf(press('j', { metaKey: true, altKey: true }), way)).toBeUndefined()
  }
  for (const way of ['alt', 'ctrl-alt', 'off'] as const) expect(keyOf(press('j'), way)).toBeUndefined()
  // Alt and j write something else on some keyboards.
  expect(keyOf(press('∆', { code: 'KeyJ', altKey: true }), 'alt')).toBe('j')
  expect(keyOf(press('Ô', { code: 'KeyJ', altKey: true, shiftKey: true }), 'alt')).toBe('J')
  expect(keyOf(press('j', { code: 'KeyJ', altKey: true, ctrlKey: true }), 'alt')).toBeUndefined()
  expect(keyOf(press('4', { code: 'Digit4', altKey: true, ctrlKey: true }), 'ctrl-alt')).toBe('4')
  expect(keyOf(press('?', { code: 'Minus', altKey: true }), 'alt')).toBe('?')
  expect(keyOf(press('j', { code: 'KeyJ', altKey: true }), 'off')).toBeUndefined()
})

test('rows stand below the heads of their groups, but for those that are closed', () => {
  const row = (name: string, group: string) => ({ name, group }) as LedgerRow
  const rows = [row('a', '00maker'), row('b', '00maker'), row('c', '01partner')]
  const drawn = lines(rows, 'origin', new Set(['00maker']))
  expect(drawn.map((l) => (l.kind === 'group' ? `${l.title} ${l.rows} ${l.open}` : `${l.row.name} ${l.index}`))).toEqual([
    expect.stringMatching(/ 2 false$/),
    expect.stringMatching(/ 1 true$/),
    'c 0',
  ])
  expect(lines(rows, 'none', new Set()).map((l) => l.kind)).toEqual(['row', 'row', 'row'])
})

test('an address carries a view there and back, and no nonsense', () => {
  for (const view of [
    { q: 'load:loose', sort: 'ceiling', group: 'none' },
    { q: '', sort: 'fit', group: 'origin' },
  ] as const)
    expect(viewIn(viewQuery(view))).toEqual(view)
  expect(viewQuery({ q: '' })).toEqual({})
  expect(viewIn({ sort: 'constructor', group: '../..' })).toEqual({ q: '' })
})

test('lines that come into sight are drawn in the rows of those that have gone', () => {
  const first = inSlots([0, 1, 2, 3], new Map())
  expect([...first]).toEqual([
    [0, 0],
    [1, 1],
    [2, 2],
    [3, 3],
  ])
  // What stays is drawn where it was, and no row moves among the others.
  expect([...inSlots([2, 3, 4, 5], first)]).toEqual([
    [4, 0],
    [5, 1],
    [2, 2],
    [3, 3],
  ])
  expect([...inSlots([70, 71, 72, 73, 74], first).values()]).toEqual([0, 1, 2, 3, 4])
  expect([...inSlots([3], first)]).toEqual([[3, 3]])
  expect([...inSlots([3, 4], inSlots([3], first)).values()]).toEqual([3, 4])
})
