// Keeps the pages of visits that were opened, so that they open again without a connection. The server is asked first.
const KEPT = "murvet-visits";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function answer(request, url) {
  const cache = await caches.open(KEPT);
  if (url.pathname.startsWith("/assets/")) {
    // The name of an asset changes with its content.
    const kept = await cache.match(request);
    if (kept) return kept;
  }
  try {
    const fresh = await fetch(request);
    if (fresh.ok && !fresh.redirected) await cache.put(request, fresh.clone());
    return fresh;
  } catch (error) {
    const kept = (await cache.match(request)) || (await cache.match(request, { ignoreSearch: true }));
    if (kept) return kept;
    throw error;
  }
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  // What an instrument shows now is asked for anew or not shown at all: an old value must not pass for one of this moment.
  const ours = url.origin === location.origin && /^\/(visits|assets)\//.test(url.pathname) && !url.pathname.endsWith("/now");
  if (event.request.method === "GET" && ours) event.respondWith(answer(event.request, url));
});
