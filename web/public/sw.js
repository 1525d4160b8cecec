// Lets the log be opened where the server is not reached: pages and what they
// were last told are answered from what was kept, when the network does not answer.
const shell = 'neokinema shell'
const data = 'neokinema data'
const kept = /^\/api\/(state|today|sessions(\/[^/]+)?)$/

self.addEventListener('install', (e) => e.waitUntil(keepAll().then(() => self.skipWaiting())))
self.addEventListener('activate', (e) => e.waitUntil(self.clients.claim()))

/** Keeps the page and all that it may load, before the server is out of reach. */
async function keepAll() {
  const parts = Object.values(await (await fetch('/assets.json')).json())
  const files = new Set(parts.flatMap((p) => [p.file, ...(p.css ?? []), ...(p.assets ?? [])]).map((f) => `/${f}`))
  await caches.delete(shell)
  const cache = await caches.open(shell)
  await cache.addAll(['/', '/mark.svg', ...files])
}

/** The network's answer, kept for later; without it what was kept. */
async function fresh(request, store, key) {
  const cache = await caches.open(store)
  try {
    const answer = await fetch(request)
    if (answer.ok) await cache.put(key, answer.clone())
    return answer
  } catch (e) {
    const before = await cache.match(key)
    if (before) return before
    throw e
  }
}

/** What never changes is kept for good. */
async function lasting(request) {
  const cache = await caches.open(shell)
  const before = await cache.match(request)
  if (before) return before
  const answer = await fetch(request)
  if (answer.ok) await cache.put(request, answer.clone())
  return answer
}

self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url)
  if (e.request.method !== 'GET' || url.origin !== location.origin) return
  if (e.request.mode === 'navigate' && !url.pathname.startsWith('/api/') && !url.pathname.includes('.')) e.respondWith(fresh(e.request, shell, '/'))
  else if (url.pathname.startsWith('/assets/')) e.respondWith(lasting(e.request))
  else if (kept.test(url.pathname) && url.search === '') e.respondWith(fresh(e.request, data, url.pathname))
})
