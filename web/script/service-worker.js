// The service worker keeps on this device what an opened copy needs, so that it
// opens again and is worked on without a connection. VERSION and FILES stand
// before this when it is served. What is kept belongs to one person: it goes
// when another one, or nobody, is signed in.

const ASSETS = 'assets',
  PAGES = 'pages',
  KEPT = 'kept',
  WHO = 'who';
const MOST = 800; // pictures and words of pages
const PATIENCE = 6000; // milliseconds that a page is waited for when it is kept here
const COPY = /^\/copies\/\d+$/,
  LASTING = /^\/(sheets\/\d+\/(pages|print|extras)|copies\/\d+\/pictures)\//,
  FRESH = /^\/sheets\/\d+\/(guide|words)$/;

self.addEventListener('install', (e) =>
  e.waitUntil(
    (async () => {
      const assets = await caches.open(ASSETS);
      for (const f of FILES) if (!(await assets.match(f))) await assets.add(f);
      self.skipWaiting();
    })(),
  ),
);

self.addEventListener('activate', (e) =>
  e.waitUntil(
    (async () => {
      const assets = await caches.open(ASSETS),
        of = (r) => new URL(r.url).pathname.split('/')[2];
      const keys = await assets.keys(),
        versions = [...new Set(keys.map(of))],
        kept = new Set([VERSION, ...versions.filter((v) => v !== VERSION).slice(-1)]); // the version before may still be needed by pages kept here
      for (const k of keys) if (!kept.has(of(k))) await assets.delete(k);
      await self.clients.claim();
    })(),
  ),
);

// first takes what never changes from this device, or fetches and keeps it.
async function first(name, request) {
  const cache = await caches.open(name),
    there = await cache.match(request, { ignoreVary: true });
  if (there) return there;
  const res = await fetch(request);
  if (res.ok && res.status === 200) {
    await cache.put(request, res.clone());
    if (name === KEPT) {
      const keys = await cache.keys();
      for (const k of keys.slice(0, Math.max(0, keys.length - MOST))) await cache.delete(k);
    }
  }
  return res;
}

// belongs forgets what was kept for somebody else than the person of an answer.
async function belongs(res) {
  if (res.type !== 'basic') return;
  const who = await caches.open(WHO),
    person = res.headers.get('Readymargin-Person') ?? '',
    before = await (await who.match('/'))?.text();
  if (before === person) return;
  await Promise.all([caches.delete(PAGES), caches.delete(KEPT)]);
  await who.put('/', new Response(person));
}

const late = (ms) =>
  new Promise((_, fail) => {
    setTimeout(() => fail(new Error('late')), ms);
  });

async function page(e) {
  const { pathname, search } = new URL(e.request.url),
    cache = await caches.open(PAGES),
    kept = search ? null : await cache.match(pathname); // an earlier attempt is another page
  const arrives = fetch(e.request);
  try {
    const res = await (kept ? Promise.race([arrives, late(PATIENCE)]) : arrives);
    if (res.status >= 500 && kept) throw new Error('the server cannot answer');
    if (res.status < 500) await belongs(res);
    if (res.ok && !search && (COPY.test(pathname) || pathname === '/to-do'))
      await (await caches.open(PAGES)).put(pathname, res.clone());
    return res;
  } catch {
    arrives.catch(() => {});
    if (!kept) return nothing(cache);
    if (kept.headers.get('Readymargin-Leads')) return Response.redirect(kept.headers.get('Readymargin-Leads'), 303);
    return new Response((await kept.text()).replace('</head>', '<meta name="from-device" content="yes"></head>'), {
      headers: kept.headers,
    });
  }
}

// nothing says what can be opened without a connection.
async function nothing(cache) {
  const lines = [];
  for (const k of await cache.keys()) {
    const path = new URL(k.url).pathname;
    if (COPY.test(path))
      lines.push(
        `<p class="my-2"><a class="button" href="${path}">${(await (await cache.match(k)).text()).match(/<title>(.*?)(?: · Ready Margin)?<\/title>/)?.[1] ?? path}</a></p>`,
      );
  }
  const style = FILES.find((f) => f.endsWith('/app.css'));
  return new Response(
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>No connection · Ready Margin</title><link rel="stylesheet" href="${style}"></head><body><main class="p-6 max-w-xl mx-auto"><h1 class="text-2xl mb-2">There is no connection</h1><p class="mb-4">Nothing is lost. What was done on this device is kept and is sent when the connection is back.</p>${lines.length ? `<p>These copies can be opened without one:</p>${lines.join('')}` : '<p>Copies that you have opened on this device before can be opened without one; there is none yet.</p>'}</main></body></html>`,
    { status: 503, headers: { 'Content-Type': 'text/html; charset=utf-8' } },
  );
}

// fresh asks the server, and takes what is kept when there is no answer.
async function fresh(request) {
  const cache = await caches.open(KEPT);
  try {
    const res = await fetch(request);
    if (res.status >= 500) throw new Error('the server cannot answer');
    if (res.ok) await cache.put(request, res.clone());
    return res;
  } catch (e) {
    const there = await cache.match(request);
    if (there) return there;
    throw e;
  }
}

// handed lays down what another program hands over, and leads to the page that asks
// what it is for.
async function handed(request) {
  const form = await request.formData();
  await caches.delete('handed');
  const cache = await caches.open('handed');
  for (const [i, file] of form.getAll('file').entries())
    if (file instanceof File && file.size)
      await cache.put(
        `/handed/${i}`,
        new Response(file, {
          headers: { 'Content-Type': file.type, 'Readymargin-Name': encodeURIComponent(file.name) },
        }),
      );
  return Response.redirect('/share', 303);
}

self.addEventListener('fetch', (e) => {
  const { request } = e,
    { origin, pathname } = new URL(request.url);
  if (request.method === 'POST' && origin === self.location.origin && pathname === '/share')
    e.respondWith(handed(request));
  if (request.method !== 'GET' || origin !== self.location.origin || request.headers.has('Range')) return;
  if (pathname.startsWith('/a/')) e.respondWith(first(ASSETS, request));
  else if (LASTING.test(pathname)) e.respondWith(first(KEPT, request));
  else if (FRESH.test(pathname)) e.respondWith(fresh(request));
  else if (request.mode === 'navigate') e.respondWith(page(e));
});

// A screen says what it needs to open again: its own page, where links to it
// lead, and pictures and words of all pages, also of those not seen yet.
self.addEventListener('message', (e) =>
  e.waitUntil(
    (async () => {
      const { page: path, leads = [], files = [] } = e.data;
      for (const p of [path, '/to-do']) {
        const res = await fetch(p, { headers: { Accept: 'text/html' } });
        await belongs(res);
        if (!res.ok) return;
        await (await caches.open(PAGES)).put(p, res);
      }
      const pages = await caches.open(PAGES);
      for (const l of leads) await pages.put(l, new Response('', { headers: { 'Readymargin-Leads': path } }));
      for (const f of files) await (FRESH.test(f) ? fresh(new Request(f)) : first(KEPT, new Request(f)));
      e.source?.postMessage({ kept: path });
    })().catch(() => {}),
  ),
);
