import '@fontsource-variable/atkinson-hyperlegible-next/wght.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css'
import 'vuetify/styles/core'
import './theme.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { api, ask, queryClient } from '@/api/client'
import { soon } from '@/composables/drawn'
import { router } from './router'
import { vuetify } from './vuetify'

// Who is signed in is asked for while the page is still being put together.
const session = queryClient.prefetchQuery({ queryKey: ['session'], queryFn: () => ask(api.GET('/api/v1/session')) })

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

const app = createApp(App)
  .directive('focus', focus)
  .use(createPinia())
  .use(VueQueryPlugin, { queryClient })
  .use(vuetify)
  .use(router)
// Answers that come with the page (see server/application.go) are waited for a
// moment: what is drawn with them is drawn once.
await soon(Promise.all([session, router.isReady()]))
app.mount('#app')
