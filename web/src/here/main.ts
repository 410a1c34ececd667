// What a release's own page loads when somebody wants to do it there, and the page
// on which people tell of a phone that no list is for.
import { createApp } from 'vue'
import HerePage from './HerePage.vue'
import UnlistedPage from './UnlistedPage.vue'
import { speak } from './words'

const place = document.getElementById('here')
if (place) {
  const { path = '', key = '', list = '', keep = '', tell = '', salt = '', language = 'en' } = place.dataset
  const all = { path, publicKey: key, list, keep, tell, salt }
  void speak(language).then(() => createApp(path ? HerePage : UnlistedPage, path ? all : { salt }).mount(place))
}
