// Keeps what a release's own page needs, so that it works with no connection once it
// was loaded: what is asked for is fetched where that can be, and else what was kept.
const name = 'roster-1'
const kept = (url) => url.origin === location.origin && /^\/(r|assets)\//.test(url.pathname)

self.addEventListener('install', () => self.skipWaiting())
self.addEventListener('activate', (e) => e.waitUntil(self.clients.claim()))
self.addEventListener('message', (e) => {
  const urls = Array.isArray(e.data) ? e.data.map((u) => new URL(u, location.origin)).filter(kept) : []
  e.waitUntil(caches.open(name).then((c) => Promise.allSettled(urls.map((u) => c.add(u)))))
})
self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url)
  if (e.request.method !== 'GET' || !kept(url)) return
  e.respondWith(answer(e.request, url))
})

// Files whose names carry what is in them never change: those are not asked for again.
async function answer(request, url) {
  const cache = await caches.open(name)
  const have = await cache.match(request, { ignoreVary: true })
  if (have && url.pathname.startsWith('/assets/')) return have
  try {
    const fresh = await fetch(request)
    if (have && fresh.ok) await cache.put(request, fresh.clone())
    return fresh
  } catch (err) {
    if (have) return have
    throw err
  }
}
