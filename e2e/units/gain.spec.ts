// How gains are written, and in which order a profile's packages stand.
import { expect, test } from '@playwright/test'
import { figure, gained } from '../../web/src/format/gain'
import { inOrder, reused } from '../../web/src/places/profiles/line'

const of = (verdict: 'gain' | 'none' | 'loss' | 'too-few', median: number, low: number, high: number) => ({ verdict, median, low, high, phones: 9, people: 4 })

test('a gain has the sign that the phone shows', () => {
  expect(gained('memory', 12_340_000)).toBe('+12.3 MB')
  expect(gained('memory', -12_340_000)).toBe('−12.3 MB')
  expect(gained('start', 2.04)).toBe('−2.0 s')
  expect(gained('wakeups', -3)).toBe('+3.0 an hour')
  expect(gained('processes', 0.2)).toBe('as before')
})

test('a figure says more or less, and its bounds from the smaller on', () => {
  expect(figure('memory', of('gain', 190e6, 170e6, 205e6))).toBe('190.0 MB more, between 170.0 and 205.0')
  expect(figure('start', of('gain', 6, 5, 7))).toBe('6.0 s less, between 5.0 and 7.0')
  expect(figure('start', of('loss', -6, -7, -5))).toBe('6.0 s more, between 5.0 and 7.0')
  expect(figure('memory', of('loss', -6e6, -7e6, -5e6))).toBe('6.0 MB less, between 5.0 and 7.0')
  expect(figure('wakeups', of('none', 1, -1, 3))).toBe('no measurable gain')
  expect(figure('wakeups', of('too-few', 1, 0, 0))).toContain('six are needed')
})

test('what brings most for its harm stands first, and what stays after what goes', () => {
  const rows = [
    { name: 'a', worth: 1, goes: true },
    { name: 'b', worth: 9, goes: false },
    { name: 'c', worth: 3, goes: true },
  ]
  expect(inOrder(rows, 'worth').map((r) => r.name)).toEqual(['c', 'a', 'b'])
  expect(inOrder(rows, 'safest').map((r) => r.name)).toEqual(['a', 'b', 'c'])
})

test('rows that have not changed are taken from before, and no others', () => {
  const row = (name: string, goes: boolean, lost?: string[]) => ({ package: name, goes, ...(lost ? { lost } : {}) })
  const before = [row('a', true, ['calls']), row('b', true), row('c', false, ['calls'])]
  const now = [row('a', true, ['calls']), row('b', false), row('c', false), row('d', true)]
  const rows = reused(before, now)
  expect(rows).toEqual(now)
  expect(rows.map((r) => before.includes(r))).toEqual([true, false, false, false])
  expect(reused([row('c', false)], [row('c', false, ['calls'])])[0]).toHaveProperty('lost')
})
