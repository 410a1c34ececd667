// What a release's own page loads when somebody wants to do it there, and the page
// on which people tell of a phone that no list is for.
import { createApp } from 'vue'
import HerePage from './HerePage.vue'
import UnlistedPage from './UnlistedPage.vue'
import { take } from './wrote'
import { speak } from './words'

const place = document.getElementById('here')
if (place) {
  const { path = '', key = '', list = '', keep = '', tell = '', salt = '', language = 'en', wrote = '' } = place.dataset
  take(wrote)
  const all = { path, publicKey: key, list, keep, tell, salt }
  void speak(language).then(() => createApp(path ? HerePage : UnlistedPage, path ? all : { salt }).mount(place))
}
