// queue keeps operations in the browser's own store until the server has
// acknowledged them, and says on screen where the work is. Sending an
// operation twice changes nothing, so a lost answer does no harm. An
// acknowledged one stays in the store until the device has noted the copy as
// it is with it, so that the copy can be opened without a connection.

import { ask } from './net.js';
import { showSaved } from './saved.js';
import { openDB } from './vendor/idb.js';

const BATCH = 60;
let base = null,
  memory = [],
  owner = 0,
  sending = false,
  timer = 0,
  failures = 0,
  trouble = '';
const seq = new Map(); // by copy and layer
let trial = false,
  notes = false,
  now = 0,
  savedAt = null,
  nextKey = 1;
let told = false;
export const events = {
  onSaved: /** @type {(...args: any[]) => any} */ (() => {}),
  onBehind: /** @type {(...args: any[]) => any} */ (() => {}),
  onNoStore: /** @type {(...args: any[]) => any} */ (() => {}),
  onTried: /** @type {(...args: any[]) => any} */ (() => {}),
};

async function open() {
  base = await openDB('readymargin', 2, {
    upgrade(db, before) {
      if (before < 1)
        db.createObjectStore('ops', { keyPath: 'key', autoIncrement: true }).createIndex('copy', ['owner', 'copy']);
      db.createObjectStore('views', { keyPath: ['person', 'copy'] });
    },
    // A newer screen in another tab; this one goes on without.
    blocking() {
      base.close();
      base = null;
    },
  });
  navigator.storage?.persist?.();
}

// begin opens the store for a person and a copy. What waits for other copies
// of the same person is sent too; another person's changes are never seen.
export async function begin(person, copy, layer, have, teacher) {
  notes = !teacher;
  trial = !copy; // a worksheet that is being tried out: nothing is kept
  if (trial) {
    say(layer === 'sheet' ? undefined : 'Trying it out: nothing is kept');
    return;
  }
  owner = person;
  now = copy;
  seq.set(`${copy} ${layer}`, have);
  try {
    if (!base) await open();
  } catch {
    base = null;
    if (!told) {
      told = true;
      events.onNoStore();
    }
  }
  const kept = base
    ? (await all(IDBKeyRange.bound([owner, 0], [owner, Number.MAX_SAFE_INTEGER]))).filter((m) => !m.sent)
    : [];
  memory = [...kept, ...memory.filter((m) => !kept.some((k) => k.op.id === m.op.id))];
  say();
}

// start sends what waits, once it is shown.
export function start() {
  if (memory.length) schedule(0);
}

const all = (range) => base.getAllFromIndex('ops', 'copy', range);

// waiting gives what was done on a copy and is not acknowledged yet; with
// everything, also what is, but was not noted here.
export const waiting = async (copy, everything) =>
  trial
    ? []
    : base
      ? (await all([owner, copy])).filter((m) => everything || !m.sent)
      : memory.filter((m) => m.copy === copy);

// remember notes a copy as it is shown now: what make() gives has all that was
// acknowledged before.
export async function remember(copy, make) {
  if (!base) return;
  try {
    const sent = (await all([owner, copy])).filter((m) => m.sent);
    const tx = base.transaction(['views', 'ops'], 'readwrite');
    await Promise.all([
      tx.objectStore('views').put(make()),
      ...sent.map((m) => tx.objectStore('ops').delete(m.key)),
      tx.done,
    ]);
  } catch {
    /* it opens as the server last sent it */
  }
}

// remembered gives a copy as this device knew it last, or null.
export async function remembered(person, copy) {
  try {
    if (!base) await open();
    return (await base.get('views', [person, copy])) ?? null;
  } catch {
    return null;
  }
}

// add keeps an operation; it resolves when the browser's store has it.
export async function add(copy, layer, op) {
  if (trial) {
    events.onTried();
    return;
  }
  const item = { owner, copy, layer, op };
  memory.push(item);
  say();
  if (base) {
    try {
      trouble = '';
      const tx = base.transaction('ops', 'readwrite', { durability: 'strict' });
      [item.key] = await Promise.all([tx.store.add(item), tx.done]);
      if (failures) say();
    } catch {
      trouble = 'this device has no room left. Stay on this page until it says “Saved”.';
      say();
    }
  } else item.key = -nextKey++;
  schedule(120);
}

// What is in somebody's hands and no operation yet is not saved either.
const held = new Set();
export function hold(what, on) {
  if (held.has(what) === on) return;
  if (on) held.add(what);
  else held.delete(what);
  say();
}

export const busy = () => memory.length > 0;
// heard notes what is known of a layer of the copy that is shown.
export const heard = (layer, to) => seq.set(`${now} ${layer}`, to);
export const known = (layer) => seq.get(`${now} ${layer}`) ?? 0;

function schedule(wait) {
  clearTimeout(timer);
  timer = setTimeout(send, wait);
}

async function send() {
  if (sending || !memory.length) return;
  sending = true;
  say();
  // What the server has refused is tried again last, and holds up nothing else.
  memory.sort((a, b) => Number(!!a.refused) - Number(!!b.refused));
  const { copy, layer } = memory[0];
  const batch = [];
  for (const m of memory) {
    if (base && !trouble && !m.key) break; // it goes once this device has it
    if (m.copy !== copy || m.layer !== layer || batch.length === BATCH || (batch.length && m.refused)) break; // refused ones go singly
    batch.push(m);
  }
  if (!batch.length) {
    sending = false;
    schedule(20);
    return;
  }
  try {
    const answer = await ask(`/copies/${copy}/ops`, { method: 'POST', json: { layer, ops: batch.map((m) => m.op) } });
    await forget(batch);
    // With changes of others in between this screen is behind, and does not know all up to there.
    if (answer.seq - answer.fresh <= (seq.get(`${copy} ${layer}`) ?? 0)) seq.set(`${copy} ${layer}`, answer.seq);
    else if (copy === now) events.onBehind(layer, answer.seq);
    savedAt = new Date(answer.at);
    failures = 0;
    if (copy === now) events.onSaved(answer);
  } catch (e) {
    failures++;
    if (e.status >= 400 && e.status < 500 && e.status !== 429) for (const m of batch) m.refused = e.message;
  }
  sending = false;
  say();
  if (memory.length) schedule(failures ? Math.min(1000 * 2 ** (failures - 1), 15000) : 0);
}

async function forget(batch) {
  memory = memory.filter((m) => !batch.includes(m));
  if (!base) return;
  const tx = base.transaction('ops', 'readwrite'),
    kept = batch.filter((m) => m.key > 0);
  await Promise.all([
    ...kept.map((m) => (notes && m.copy === now ? tx.store.put({ ...m, sent: true }) : tx.store.delete(m.key))),
    tx.done,
  ]).catch(() => {}); // sent again, it changes nothing
}

// drained resolves when everything has been acknowledged, or fails with why not.
export async function drained() {
  for (let tries = 0; memory.length; tries++) {
    if (!sending) await send();
    if (memory.length && failures)
      throw new Error(
        memory.find((m) => m.refused)?.refused ||
          'There is no connection, so your last changes are on this device only. Nothing is lost. Try again when you are online.',
      );
    await new Promise((r) => setTimeout(r, 30));
    if (tries > 600) throw new Error('Sending takes too long. Nothing is lost; try again.');
  }
}

const clock = (t) => t.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', hour12: false });

// say shows one of the four states and no other.
export function say(fixed) {
  let state = 'saved',
    words = savedAt ? `Saved ${clock(savedAt)}` : 'Saved';
  if (fixed) words = fixed;
  if (memory.length) {
    const n = memory.length;
    const refused =
      memory.find((m) => m.refused)?.refused ||
      (failures || !sending ? trouble : '') ||
      (failures && !base ? 'this browser keeps nothing. Stay on this page until it says “Saved”.' : '');
    if (refused) {
      state = 'failed';
      words = `Not saved: ${refused}`;
    } else if (failures && memory.every((m) => m.key)) {
      state = 'waiting';
      words = `On this device only, ${n} ${n === 1 ? 'change' : 'changes'} waiting`;
    } else {
      state = 'saving';
      words = 'Saving…';
    }
  }
  if (held.size && state === 'saved' && !fixed) {
    state = 'saving';
    words = 'Saving…';
  }
  showSaved(state, words);
}

// Leaving with changes that are nowhere else is asked about.
window.addEventListener('beforeunload', (e) => {
  if (memory.length && (!base || trouble)) e.preventDefault();
});
window.addEventListener('online', () => {
  failures = 0;
  schedule(0);
});
window.addEventListener('pagehide', () => {
  if (memory.length) {
    clearTimeout(timer);
    send();
  }
});
document.addEventListener('visibilitychange', () => {
  if (document.hidden && memory.length) {
    clearTimeout(timer);
    send();
  }
});
export const savedSince = (t) => {
  if (!trial) {
    savedAt = t;
    say();
  }
};
