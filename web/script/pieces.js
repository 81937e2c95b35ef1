// pieces keeps on this device what is being recorded, second by second, so that a
// browser that dies takes at most the last two of them along. They belong to one
// person, and go when the recording is kept or dropped.

import { openDB } from './vendor/idb.js';

let opening = /** @type {Promise<any> | null} */ (null);
const open = () =>
  (opening ??= openDB('readymargin-spoken', 1, {
    upgrade(db) {
      db.createObjectStore('spoken', { keyPath: ['person', 'id'] });
      db.createObjectStore('pieces', { keyPath: ['person', 'id', 'n'] });
    },
    blocking: () => opening?.then((base) => base.close()).finally(() => (opening = null)),
  }));

// While a recording is in hand somewhere, no other page takes it for broken off.
const inHand = new Map(), // ID to what lets go of it
  name = (id) => `spoken ${id}`;
export function hold(id) {
  navigator.locks?.request(
    name(id),
    () =>
      new Promise((ok) => {
        inHand.set(id, ok);
      }),
  );
}

const all = (person, id) => IDBKeyRange.bound([person, id, 0], [person, id, Number.MAX_SAFE_INTEGER]);

/**
 * begin notes what is recorded, of which thing ("copy/12") and with what to do with it.
 * A device that keeps nothing records all the same.
 * @param {number} person
 * @param {string} id
 * @param {any} about
 */
export function begin(person, id, about) {
  hold(id);
  let n = 0,
    chain = write(['spoken'], (tx) => tx.objectStore('spoken').put({ person, id, about, at: Date.now() }));
  return {
    add(blob, peaks, steps) {
      const piece = { person, id, n: n++, blob, peaks, steps };
      chain = chain.then(() => write(['pieces'], (tx) => tx.objectStore('pieces').put(piece)));
    },
  };
}

async function write(stores, put) {
  try {
    const tx = (await open()).transaction(stores, 'readwrite', { durability: 'strict' });
    await Promise.all([put(tx), tx.done]);
  } catch {
    /* it goes on without */
  }
}

export async function drop(person, id) {
  await write(['spoken', 'pieces'], (tx) =>
    Promise.all([tx.objectStore('spoken').delete([person, id]), tx.objectStore('pieces').delete(all(person, id))]),
  );
  inHand.get(id)?.();
}

// broken gives what a person was recording about a thing when the browser went; it is
// in hand from then on.
export async function broken(person, thing) {
  try {
    const base = await open(),
      mine = await base.getAll('spoken', IDBKeyRange.bound([person, ''], [person, '\uffff'])),
      out = [];
    const held = new Set((await navigator.locks?.query())?.held?.map((l) => l.name));
    for (const s of mine.filter((m) => m.about.thing === thing && !held.has(name(m.id)))) {
      const pieces = await base.getAll('pieces', all(person, s.id));
      hold(s.id);
      if (pieces.length)
        out.push({
          ...s,
          blob: new Blob(
            pieces.map((p) => p.blob),
            { type: pieces[0].blob.type },
          ),
          peaks: pieces.flatMap((p) => p.peaks),
          steps: pieces[0].steps && pieces.flatMap((p) => p.steps ?? []),
        });
      else await drop(person, s.id);
    }
    return out;
  } catch {
    return [];
  }
}
