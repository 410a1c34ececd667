// What a release's own page loads when somebody wants to do it there.
import { createApp } from 'vue'
import HerePage from './HerePage.vue'
import { speak } from './words'

const place = document.getElementById('here')
if (place) {
  const { path = '', key = '', list = '', keep = '', tell = '', salt = '', language = 'en' } = place.dataset
  void speak(language).then(() => createApp(HerePage, { path, publicKey: key, list, keep, tell, salt }).mount(place))
}
