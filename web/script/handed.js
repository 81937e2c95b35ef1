// handed are files that another program gave to this one by the system's hand-over.
// The service worker lays them down on this device until it is said what they are
// for.

const CACHE = 'handed';

// handed returns what lies there.
export async function handed() {
  if (!window.caches) return [];
  const cache = await caches.open(CACHE),
    files = [];
  for (const key of await cache.keys()) {
    const res = await cache.match(key),
      name = decodeURIComponent(res.headers.get('Readymargin-Name') ?? 'file');
    files.push(new File([await res.blob()], name, { type: res.headers.get('Content-Type') }));
  }
  return files;
}

// done forgets it.
export const done = () => window.caches?.delete(CACHE);
