// Keeps the sheets of the bench that were opened, and what they are drawn with, for while the network is away. With
// a network nothing comes from here but what never changes under its address.
const drawn = "drawn-1", sheets = "sheets-1", most = 80, patienceMs = 6000;
const ours = (url) => url.pathname === "/bench" || url.pathname.startsWith("/bench/");

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));
self.addEventListener("message", (e) => { if (e.data === "forget") e.waitUntil(caches.delete(sheets)); });

async function keep(name, request, answer) {
  const cache = await caches.open(name);
  await cache.put(request, answer);
  const all = await cache.keys();
  for (const old of all.slice(0, Math.max(0, all.length - most))) await cache.delete(old);
}

async function sheet(request) {
  const stop = new AbortController(), late = setTimeout(() => stop.abort(), patienceMs);
  try {
    const answer = await fetch(request.url, { headers: request.headers, credentials: "same-origin", redirect: "manual", signal: stop.signal });
    if (answer.ok && answer.headers.get("Content-Type")?.startsWith("text/html")) await keep(sheets, request.url, answer.clone()); // papers are not kept
    return answer;
  } catch {
    const kept = await caches.match(request.url);
    if (kept) return new Response((await kept.text()).replace("<body ", "<body data-kept "), { headers: kept.headers });
    return new Response("<!doctype html><meta charset=utf-8><title>Away</title><p>The network is away, and this sheet was not opened on this tablet before. <a href='/bench'>The bench</a>", { status: 503, headers: { "Content-Type": "text/html; charset=utf-8" } });
  } finally {
    clearTimeout(late);
  }
}

self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (e.request.method !== "GET" || url.origin !== location.origin) return;
  if (url.pathname.startsWith("/static/") && url.search) {
    e.respondWith(caches.match(e.request).then(async (kept) => {
      if (kept) return kept;
      const answer = await fetch(e.request);
      if (answer.ok) await keep(drawn, e.request, answer.clone());
      return answer;
    }));
  } else if (e.request.mode === "navigate" && ours(url)) {
    e.respondWith(sheet(e.request));
  }
});
