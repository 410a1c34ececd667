import { h, shallowRef } from 'vue'
import { createVuetify, type LocaleInstance } from 'vuetify'
import { en } from 'vuetify/locale'

// english says what Vuetify's components say by themselves. Its own way to choose
// among languages, of which the workbench has one, takes a tenth of the first view.
function english(): LocaleInstance {
  const said = (of: unknown, part: string) => (of as Record<string, unknown> | undefined)?.[part]
  return {
    name: 'english',
    messages: shallowRef({ en }),
    current: shallowRef('en'),
    fallback: shallowRef('en'),
    decimalSeparator: shallowRef('.'),
    numericGroupSeparator: shallowRef(','),
    t: (key, ...values) => {
      const words = key.startsWith('$vuetify.') ? key.slice(9).split('.').reduce(said, en) : key
      return String(words ?? key).replace(/\{(\d+)\}/g, (_, n) => String(values[Number(n)]))
    },
    n: (value) => value.toLocaleString('en'),
    provide: english,
  }
}

export const vuetify = createVuetify({
  locale: { adapter: english() },
  theme: { defaultTheme: 'light' },
  // A select says by the sign of its own that it has more to choose from.
  icons: { aliases: { dropdown: () => h('span', { class: 'faint', 'aria-hidden': true }, '▾') } },
  defaults: {
    global: { ripple: false, elevation: 0 },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VTextarea: { variant: 'outlined', density: 'compact', hideDetails: 'auto', rows: 2, autoGrow: true },
    VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto', listProps: { density: 'compact' } },
    VAutocomplete: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
  },
})
