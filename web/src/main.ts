import '@fontsource-variable/atkinson-hyperlegible-next/wght.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css'
import 'vuetify/styles/core'
import './theme.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp, h } from 'vue'
import { createVuetify } from 'vuetify'
import App from './App.vue'
import { api, ask, queryClient } from '@/api/client'
import { router } from './router'

// Who is signed in is asked for while the page is still being put together.
void queryClient.prefetchQuery({ queryKey: ['session'], queryFn: () => ask(api.GET('/api/v1/session')) })

const vuetify = createVuetify({
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

// v-focus puts the cursor into a field as it appears, at once: Vuetify's own
// way waits until it is seen, and then takes the cursor from where it is. What
// a menu holds can take it a frame or two later.
const takesFocus = 'input, textarea, select, button, a[href]'
const focus = {
  mounted(el: HTMLElement) {
    const to = el.matches(takesFocus) ? el : el.querySelector<HTMLElement>(takesFocus)
    let frames = 10
    const put = () => {
      to?.focus()
      if (to?.isConnected && document.activeElement !== to && frames-- > 0) requestAnimationFrame(put)
    }
    put()
  },
}

createApp(App)
  .directive('focus', focus)
  .use(createPinia())
  .use(VueQueryPlugin, { queryClient })
  .use(vuetify)
  .use(router)
  .mount('#app')
