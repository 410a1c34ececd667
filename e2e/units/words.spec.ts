// What is said in words: conditions and sentences, phones, titles, roles, details.
import { expect, test } from '@playwright/test'
import { phoneTitles } from '../../web/src/editing/phones'
import { onlyIf, sentence, share } from '../../web/src/format/numbers'
import { cleanFrom, daysSince } from '../../web/src/places/bench/watched'
import { turnedRole } from '../../web/src/format/roles'
import { stopAfter } from '../../web/src/places/profiles/line'
import { detailWords } from '../../web/src/places/record/detail'
import { proposedTitle } from '../../web/src/tray/title'

test('a condition is not negated twice, a sentence ends once', () => {
  expect(onlyIf('not while a card is in it')).toBe('not while a card is in it')
  expect(onlyIf('nothing else prints')).toBe('only if: nothing else prints')
  expect([sentence('Shows offers.'), sentence('Shows offers'), sentence('Really? '), sentence('')]).toEqual([
    'Shows offers.',
    'Shows offers.',
    'Really? ',
    '',
  ])
  expect([share(0.134), share(0.136)]).toEqual(['13 %', '14 %'])
})

test('phones are named by what people know of them, and by their mark where two would be called the same', () => {
  const phone = (mark: string, run = 0) => ({ phone: mark, captureId: '', takenAt: 'x', by: 'Tove', run })
  const titles = phoneTitles([phone('aaaaaaaa'), phone('bbbbbbbb'), phone('cccccccc', 7)], new Map([['cccccccc', 'Blue case']]), new Set(['cccccccc']), () => 'today')
  expect(titles.map((t) => t.title)).toEqual([
    'captured today by Tove, aaaaaa',
    'captured today by Tove, bbbbbb',
    'Blue case, attached now, captured today by Tove, run 7, in your tray already',
  ])
})

test('a change is called by its packages, its place and its fields', () => {
  const edit = (pkg: string, label: string, field: string, scopeName = 'Lyra 5') => ({ package: pkg, label, field, scopeKind: 'model', scopeName, buildName: '' })
  expect(proposedTitle([])).toBe('')
  expect(proposedTitle([edit('a.b', 'Tips', 'load'), edit('a.b', 'Tips', 'trial')])).toBe('Tips on Lyra 5: load, trial')
  expect(proposedTitle([edit('a.b', '', 'load'), edit('a.c', 'Two', 'load', 'Lyra 5 mini')])).toBe('a.b and Two: load')
  expect(proposedTitle(['a.a', 'a.b', 'a.c'].map((p) => edit(p, p, 'load')))).toBe('3 packages on Lyra 5: load')
  expect(proposedTitle([edit('a'.repeat(300), '', 'load')])).toHaveLength(200)
})

test('a role tells what it gives and takes; a detail what was set from what', () => {
  expect(turnedRole('technician', 'reviewer')).toEqual({ gains: ["decide about others' changes"], loses: [] })
  expect(turnedRole('maintainer', 'technician').loses).toContain('publish and withdraw releases')
  expect(turnedRole('keeper', 'keeper')).toEqual({ gains: [], loses: [] })
  expect(detailWords({ before: { role: 'technician', keep: ['a'] }, after: { role: 'keeper' } })).toBe('keep: ["a"] → none, role: technician → keeper')
  expect(detailWords({ revision: 3, reason: 'x' })).toBe('revision 3, reason x')
  expect(detailWords({ profile: '01a223a6-e7c7-75d3-8721-6ee4b86eb4e7' })).toBe('profile …6ee4b86eb4e7')
  expect(detailWords(null)).toBe('')
})

test('the cut line goes from stop to stop, and a day is over after a day', () => {
  const stops = [0, 0.1, 0.2, 0.4]
  expect([stopAfter(stops, 0.2, 1), stopAfter(stops, 0.2, -1), stopAfter(stops, 0.25, 1), stopAfter(stops, 0.25, -1)]).toEqual([0.4, 0.1, 0.4, 0.1])
  expect([stopAfter(stops, 0.2, Infinity), stopAfter(stops, 0.2, -Infinity), stopAfter([], 0.3, 1)]).toEqual([0.4, 0, 0.3])
  const began = '2026-11-28T10:00:00Z'
  expect(cleanFrom(began).toISOString()).toBe('2026-11-29T10:00:00.000Z')
  expect([daysSince(began, Date.parse('2026-11-29T09:59:59Z')), daysSince(began, Date.parse('2026-11-30T10:00:00Z'))]).toEqual([0, 2])
})
