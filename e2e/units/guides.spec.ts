// Guides and translations as people write them.
import { expect, test } from '@playwright/test'
import { guidesAsText, guidesIn, translationsAsText, translationsIn } from '../../web/src/editing/guides'

test('guides are read as they are written, and written as they are read', () => {
  const text = [
    'en, from Android 13\nOpen it.\nTap it.',
    'de, Android 11 to 12\nAuf.',
    'pt-BR, up to Android 10\nAbra.',
    'fr, Android 14\nOuvrez.',
    'es\nAbra.',
  ].join('\n\n')
  const guides = guidesIn(text)
  expect(guides).toEqual([
    { language: 'en', from: 13, steps: ['Open it.', 'Tap it.'] },
    { language: 'de', from: 11, to: 12, steps: ['Auf.'] },
    { language: 'pt-BR', to: 10, steps: ['Abra.'] },
    { language: 'fr', from: 14, to: 14, steps: ['Ouvrez.'] },
    { language: 'es', steps: ['Abra.'] },
  ])
  expect(guidesAsText(guides)).toBe(text)
  expect(guidesIn(' \n\n ')).toEqual([])
  expect(() => guidesIn('Open it.\nTap it.')).toThrow('begin with the language')
  expect(() => guidesIn('en, from Android 13')).toThrow('write the steps below it')
})

test('translations likewise', () => {
  const text = 'de: Zeigt Tipps: viele\nde payments: Bezahlen\nar payments: الدفع'
  const all = translationsIn(text)
  expect(all).toEqual({
    de: { description: 'Zeigt Tipps: viele', functions: { payments: 'Bezahlen' } },
    ar: { functions: { payments: 'الدفع' } },
  })
  expect(translationsAsText(all)).toBe(text)
  expect(() => translationsIn('Zeigt Tipps')).toThrow('write the language')
})
