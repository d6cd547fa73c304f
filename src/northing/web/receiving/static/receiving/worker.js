// Keeps the dock's pages on the phone: one that was opened once opens again without network.
const PAGES = "dock-pages";
const ASSETS = "dock-assets";
const MOST_PAGES = 40;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== "GET" || origin !== self.location.origin) return;
  if (pathname.startsWith("/static/")) event.respondWith(kept(ASSETS, request));
  else if (request.destination === "document") event.respondWith(kept(PAGES, request, page));
});

// What the server says; without network what it said last.
async function kept(name, request, otherwise = () => Response.error()) {
  const cache = await caches.open(name);
  try {
    const answer = await fetch(request);
    const html = (answer.headers.get("Content-Type") ?? "").startsWith("text/html");
    if (answer.ok && !answer.redirected && (name === ASSETS || html)) await keep(cache, request, answer.clone());
    return answer;
  } catch {
    return (await cache.match(request)) ?? otherwise(cache, request);
  }
}

async function keep(cache, request, answer) {
  await cache.delete(request);
  await cache.put(request, answer);
  const keys = await cache.keys();
  if (keys.length > MOST_PAGES && keys[0].mode === "navigate") await cache.delete(keys[0]);
}

async function page(cache, request) {
  const like = await cache.match(request, { ignoreSearch: true });
  if (like) return like;
  const words = "No network, and this page was not opened before. Go back; what waits on this phone is kept.";
  return new Response(words, { status: 503, headers: { "Content-Type": "text/plain; charset=utf-8" } });
}
