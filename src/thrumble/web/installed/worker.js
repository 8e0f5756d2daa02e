// The service worker: every page comes from the server. If that can't be reached, the page that
// says so comes from here, with the files it is made of. Nothing of a player is kept.
const SHELL = "thrumble-shell";
const OFFLINE = "/offline";
const worker = /** @type {any} */ (self);

async function keepShell() {
  const cache = await caches.open(SHELL);
  const page = await fetch(OFFLINE, { cache: "reload" });
  if (!page.ok) throw new Error("the offline page didn't come");
  const text = await page.clone().text();
  const files = [...text.matchAll(/(?:src|href)="(\/(?:files|vendor)\/[^"]+)"/g)];
  await cache.put(OFFLINE, page);
  await cache.addAll([...new Set(files.map((file) => file[1]))]);
}

async function fromServer(request) {
  const cache = await caches.open(SHELL);
  try {
    const answer = await fetch(request);
    // what was kept is replaced by what the server has by now
    if (answer.ok && (await cache.match(request))) await cache.put(request, answer.clone());
    return answer;
  } catch (away) {
    const kept = await cache.match(request.mode === "navigate" ? OFFLINE : request);
    if (!kept) throw away;
    return kept;
  }
}

worker.addEventListener("install", (event) => {
  event.waitUntil(keepShell().then(() => worker.skipWaiting()));
});
worker.addEventListener("activate", (event) => event.waitUntil(worker.clients.claim()));
worker.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  const ours = origin === location.origin && request.method === "GET";
  const file = pathname.startsWith("/files/") || pathname.startsWith("/vendor/");
  if (ours && (request.mode === "navigate" || file)) event.respondWith(fromServer(request));
});
