// Keeps the pages of visits that were opened, so that they open again without a connection. The server is asked first.
const KEPT = "murvet-visits";
const SHARED = "murvet-shared";
// The page that says there is no connection belongs to nobody: it stays when another person signs in.
const AWAY = "/away";
const away = () => caches.open("murvet-away");

self.addEventListener("install", (event) => event.waitUntil(away().then((cache) => cache.add(AWAY)).then(() => self.skipWaiting())));
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function answer(event, url) {
  const request = event.request;
  const cache = await caches.open(KEPT);
  if (url.pathname.startsWith("/assets/")) {
    // The name of an asset changes with its content.
    const kept = await cache.match(request);
    if (kept) return kept;
  }
  try {
    const fresh = await fetch(request);
    // Nobody waits until it is kept.
    if (fresh.ok && !fresh.redirected) event.waitUntil(cache.put(request, fresh.clone()));
    return fresh;
  } catch (error) {
    // One thing of the walk does not stand for another: only that very page will do.
    const walk = url.pathname.endsWith("/walk");
    const kept = (await cache.match(request)) || (!walk && (await cache.match(request, { ignoreSearch: true })));
    if (kept) return kept;
    const nothing = request.mode === "navigate" && (await (await away()).match(AWAY));
    if (nothing) return nothing;
    throw error;
  }
}

// A photograph that another program shares is kept here until its visit is chosen.
async function shared(request) {
  const photo = (await request.formData()).get("photo");
  if (photo) {
    const cache = await caches.open(SHARED);
    await cache.put("/shared/photo", new Response(photo, { headers: { "Content-Type": photo.type, "X-Name": encodeURIComponent(photo.name) } }));
  }
  return Response.redirect("/shared", 303);
}

// What is sent from the walk without a connection is kept in order with the readings that wait, and goes on from the page it was
// sent from; the pages send it when there is a connection again.
async function sent(request) {
  const copy = request.clone();
  try {
    return await fetch(request);
  } catch (error) {
    const body = await copy.text();
    const told = new URLSearchParams(body);
    const thing = told.get("kept-thing");
    if (!thing) return (await (await away()).match(AWAY)) || Response.error();
    const form = new URL(request.url).pathname;
    await new Promise((done, failed) => {
      const asked = indexedDB.open("murvet", 1);
      asked.onupgradeneeded = () => asked.result.createObjectStore("waiting", { keyPath: "n", autoIncrement: true });
      asked.onerror = () => failed(asked.error);
      asked.onsuccess = () => {
        const change = asked.result.transaction("waiting", "readwrite");
        change.objectStore("waiting").add({ visit: form.split("/")[2], form, body, thing, words: told.get("kept-words"), at: new Date().toISOString() });
        change.oncomplete = done;
        change.onerror = () => failed(change.error);
      };
    });
    return Response.redirect(request.referrer || form.split("/").slice(0, 3).join("/") + "/walk", 303);
  }
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (url.origin !== location.origin) return;
  if (event.request.method === "POST" && url.pathname === "/shared") event.respondWith(shared(event.request));
  const form = event.request.method === "POST" && event.request.mode === "navigate" && /^\/visits\//.test(url.pathname);
  if (form && (event.request.headers.get("Content-Type") || "").startsWith("application/x-www-form-urlencoded")) event.respondWith(sent(event.request));
  // What an instrument shows now is asked for anew or not shown at all: an old value must not pass for one of this moment.
  const ours = /^\/(visits|assets)(\/|$)/.test(url.pathname) && !url.pathname.endsWith("/now");
  if (event.request.method === "GET" && ours) event.respondWith(answer(event, url));
});
