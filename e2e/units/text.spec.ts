// Places in texts, and how things are written.
import { expect, test } from '@playwright/test'
import { ceiling, count, floor } from '../../web/src/format/numbers'
import { bytesOf, unitsAt } from '../../web/src/format/offsets'

test('places in bytes are found in UTF-16 units, whatever stands before them', () => {
  for (const text of ['load:heavy', 'größe:x', 'name:電話 load:x', '😀 load:x', '👩‍🔬é', '']) {
    // Every place between two characters, there and back.
    let units = 0
    for (const character of ['', ...text]) {
      units += character.length
      expect(unitsAt(text, bytesOf(text.slice(0, units))), `${text} at ${units}`).toBe(units)
    }
    expect(unitsAt(text, bytesOf(text) + 9)).toBe(text.length)
  }
  expect(unitsAt('a😀b', 3)).toBe(3) // within the face: behind it
})

test('ceilings are rounded up and floors down, but not by what a float leaves over', () => {
  expect([ceiling(0.257), ceiling(0.29), ceiling(0), ceiling(1)]).toEqual(['26 %', '29 %', '0 %', '100 %'])
  expect([floor(0.257), floor(0.29)]).toEqual(['25 %', '29 %'])
  expect([count(1, 'package'), count(2, 'package'), count(0, 'person', 'people')]).toEqual(['1 package', '2 packages', '0 people'])
})
