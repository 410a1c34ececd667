// What is drawn: a run's journal, the time line, and what rests on what.
import { expect, test } from '@playwright/test'
import { foldSteps } from '../../web/src/places/bench/fold'
import type { RunStep } from '../../web/src/places/bench/run'
import type { Gap, OnLine } from '../../web/src/places/builds/builds'
import { lanesOf } from '../../web/src/places/builds/lanes'
import { layoutOf, lineTo, neighbours, short, sidesOf } from '../../web/src/places/dossier/drawing'
import type { LinkTo } from '../../web/src/places/dossier/impact'

const steps = (states: string[]) =>
  states.map((state, i) => ({ number: i + 1, kind: 'remove', state, took: 100 + i, package: `p${i}` }) as RunStep)
const many = (n: number, state: string) => Array<string>(n).fill(state)
const brief = (list: ReturnType<typeof foldSteps>) =>
  list.map((l) => ('fold' in l ? `[${l.fold.steps.length}: ${l.fold.words}]` : l.step.number))

test('a journal folds what went well, and never what did not', () => {
  expect(brief(foldSteps(steps(many(7, 'done')), false, new Set()))).toEqual([1, 2, 3, 4, 5, 6, 7])
  expect(brief(foldSteps(steps(many(8, 'done')), false, new Set()))).toEqual(['[8: 8 removed]'])
  const trouble = steps([...many(9, 'done'), 'refused', 'absent', ...many(9, 'done')])
  expect(brief(foldSteps(trouble, false, new Set()))).toEqual(['[9: 9 removed]', 10, '[10: 9 removed]'])
  expect(brief(foldSteps(trouble, false, new Set([11]))).slice(2)).toEqual(['[10: 9 removed]', 11, 12, 13, 14, 15, 16, 17, 18, 19, 20])
  const absent = foldSteps(steps(many(9, 'absent')), false, new Set())
  expect('fold' in absent[0]! && absent[0].fold.detail).toBe('steps 1 to 9, 9 not there')
})

test('while it runs, the last few and the next few stay in sight', () => {
  const going = steps([...many(20, 'done'), 'sent', ...many(20, 'waiting')])
  const drawn = brief(foldSteps(going, true, new Set()))
  expect(drawn).toEqual(['[17: 17 removed]', 18, 19, 20, 21, 22, 23, 24, 25, '[16: 16 more to remove]'])
  // Every step is drawn or stands in a fold, once.
  const all = foldSteps(going, true, new Set()).flatMap((l) => ('fold' in l ? l.fold.steps : [l.step]))
  expect(all.map((s) => s.number)).toEqual(going.map((s) => s.number))
})

test('builds stand in the order of their patches, apart, and within their lane', () => {
  const build = (id: string, securityPatch: string, carrier = '') => ({ id, securityPatch, carrier, region: '', version: id, packages: 9 }) as OnLine
  const builds = [
    ...Array.from({ length: 30 }, (_, i) => build(`a${i}`, `2024-${String(1 + (i % 12)).padStart(2, '0')}-05`)),
    build('old', '2019-01-01', 'Hemlock'),
    build('new', '2026-08-01', 'Hemlock'),
  ]
  const gaps = [{ edition: 'Hemlock', version: '', from: '2019-01-01', to: '2026-08-01' }] as Gap[]
  for (const room of [300, 900, 5000]) {
    const { lanes, width, years } = lanesOf(builds, gaps, 24, room)
    expect(width).toBeGreaterThanOrEqual(room)
    expect(lanes.map((l) => l.edition)).toEqual(['', 'Hemlock'])
    for (const lane of lanes)
      lane.placed.forEach((p, i) => {
        expect(p.x).toBeGreaterThanOrEqual(0)
        expect(p.x).toBeLessThanOrEqual(width)
        const before = lane.placed[i - 1]
        if (before) expect(p.x - before.x).toBeGreaterThanOrEqual((before.gap ? 12 : 24) - 1e-6)
      })
    expect(years.map((y) => y.year)).toEqual(['2020', '2021', '2022', '2023', '2024', '2025', '2026'])
  }
})

test('the hardest links come first, and what does not fit is counted', () => {
  const link = (on: string, kind: string, strength: string) => ({ on, from: 'me', kind, strength, label: '', load: 'loose', lines: [] }) as unknown as LinkTo
  const list = [link('z.soft.a', 'permission', 'soft'), link('a.hard', 'library', 'hard'), link('z.soft.a', 'shared-uid', 'soft'), link('b.over', 'overlay', 'hard')]
  expect(neighbours(list, 'on').map((n) => `${n.name} ${n.hard} ${n.kinds.length}`)).toEqual(['a.hard true 1', 'b.over false 1', 'z.soft.a false 2'])
  const crowd = Array.from({ length: 30 }, (_, i) => link(`p${i}`, 'library', 'hard'))
  const sides = sidesOf({ on: crowd, from: [] } as never)
  expect([sides[0].shown.length, sides[0].rest.length, sides[1].shown.length]).toEqual([8, 22, 0])
  expect(sidesOf({ on: crowd.slice(0, 9), from: [] } as never)[0].rest).toEqual([])
  const layout = layoutOf(sides)
  expect(layout).toEqual({ width: 92, height: 9 * 21, rowHeight: 21 })
  expect(lineTo(sides[0], 0, layout)).toMatch(/^M0 10.5 C .* 92 94.5$/)
  // One neighbour stands level with the package.
  const lone = sidesOf({ on: [], from: [link('me', 'library', 'hard')] } as never)
  const one = layoutOf(lone)
  expect(lineTo(lone[1], 0, one)).toContain(`M0 ${one.height / 2} `)
})

test('names leave out what they share', () => {
  expect(short('com.brannock.gallery', 'com.brannock.camera')).toBe('gallery')
  expect(short('com.other.gallery.lens', 'com.brannock.camera')).toBe('other.gallery.lens')
  expect(short('android', 'com.brannock.camera')).toBe('android')
})
