import { createRouter, createWebHistory, START_LOCATION, type RouteLocationNormalized } from 'vue-router'
import { soon } from '@/composables/drawn'
import { writeRemembered } from '@/composables/remembered'
import { readAhead } from '@/places/ledger/ledger'
import LedgerPlace from '@/places/ledger/LedgerPlace.vue'

// The Ledger is the place most people start in: its code comes with the
// shell, and its first rows are asked for before it is drawn.
//
// The scope lives in the query (maker, model, build) of every place.
// readFirst asks for rows. A page that is being opened waits a moment for them, see
// main.ts; where they take longer, the place stands without them.
function readFirst(to: RouteLocationNormalized, from: RouteLocationNormalized) {
  const rows = readAhead(to.query)
  return from === START_LOCATION ? soon(rows).then(() => true) : true
}

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: (to) => ({ path: '/desk', query: to.query }) },
    { path: '/desk', name: 'desk', component: () => import('@/places/desk/DeskPlace.vue') },
    { path: '/week', name: 'week', component: () => import('@/places/desk/WeekPlace.vue') },
    { path: '/follows', name: 'follows', component: () => import('@/places/desk/FollowsPlace.vue') },
    { path: '/ledger', name: 'ledger', component: LedgerPlace, beforeEnter: readFirst },
    { path: '/packages/:name', name: 'dossier', component: () => import('@/places/dossier/DossierPlace.vue') },
    { path: '/builds', name: 'builds', component: () => import('@/places/builds/BuildsPlace.vue') },
    { path: '/builds/compare', name: 'compare', component: () => import('@/places/builds/ComparePlace.vue') },
    { path: '/builds/carried', name: 'carried', component: () => import('@/places/builds/CarriedPlace.vue') },
    {
      path: '/builds/releases/:release/:build',
      name: 'hold',
      component: () => import('@/places/builds/HoldPlace.vue'),
    },
    { path: '/builds/wanted/:id', name: 'wanted', component: () => import('@/places/builds/WantedPlace.vue') },
    { path: '/review', name: 'review', component: () => import('@/places/review/ReviewPlace.vue') },
    { path: '/review/outside', name: 'outside', component: () => import('@/places/review/OutsidePlace.vue') },
    {
      path: '/review/:id',
      name: 'change',
      component: () => import('@/places/review/ChangePlace.vue'),
      meta: { ownFoot: true },
    },
    { path: '/profiles', name: 'profiles', component: () => import('@/places/profiles/ProfilesPlace.vue') },
    {
      path: '/profiles/:id',
      name: 'profile',
      component: () => import('@/places/profiles/ProfilePlace.vue'),
      meta: { ownFoot: true },
    },
    { path: '/bench', name: 'bench', component: () => import('@/places/bench/BenchPlace.vue') },
    {
      path: '/bench/rehearsal',
      name: 'rehearsal',
      component: () => import('@/places/bench/RehearsalPlace.vue'),
      meta: { ownFoot: true },
    },
    {
      path: '/bench/runs/:id',
      name: 'run',
      component: () => import('@/places/bench/RunPlace.vue'),
      meta: { ownFoot: true },
    },
    { path: '/captures/:id', name: 'intake', component: () => import('@/places/intake/IntakePlace.vue') },
    { path: '/releases', name: 'releases', component: () => import('@/places/releases/ReleasesPlace.vue') },
    { path: '/yardstick', name: 'yardstick', component: () => import('@/places/yardstick/YardstickPlace.vue') },
    { path: '/rules', name: 'rules', component: () => import('@/places/rules/RulesPlace.vue') },
    {
      path: '/lists',
      name: 'lists',
      component: () => import('@/places/lists/ListsPlace.vue'),
      meta: { ownFoot: true },
    },
    { path: '/people', name: 'people', component: () => import('@/places/people/PeoplePlace.vue') },
    { path: '/people/:id', name: 'person', component: () => import('@/places/people/PersonPlace.vue') },
    { path: '/news', name: 'news', component: () => import('@/places/people/NewsPlace.vue') },
    {
      path: '/installation',
      name: 'installation',
      component: () => import('@/places/installation/InstallationPlace.vue'),
    },
    { path: '/record', name: 'record', component: () => import('@/places/record/RecordPlace.vue') },
    { path: '/join', name: 'join', component: () => import('@/places/signin/JoinPlace.vue'), meta: { bare: true } },
    {
      path: '/password',
      name: 'password',
      component: () => import('@/places/signin/PasswordPlace.vue'),
      meta: { bare: true },
    },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('@/places/NowherePlace.vue') },
  ],
})
router.beforeEach(() => writeRemembered())
window.addEventListener('pagehide', writeRemembered)
