// drafts keeps what is being typed and not kept yet (a note, an answer, the
// remark, the line to the teacher, a form): on this device within a fraction of
// a second, on the server every few seconds and on leaving. A draft has a
// place of a thing ("copy/12"), and any value; it belongs to one person.

import { ask } from './net.js';
import { openDB } from './vendor/idb.js';

const SOON = 200; // milliseconds until this device has it
const OFTEN = 5000; // between two sendings

export const events = { onHeld: /** @type {(...args: any[]) => any} */ (() => {}) }; // whether something is here alone
let person = 0,
  base = null,
  opening = null;
const known = new Map(); // "thing place" to {thing, place, body, at}; body is JSON, '' when taken away
const here = new Set(),
  there = new Set(); // keys that this device, and the server, have not got yet
let timer = 0,
  sender = 0,
  sentAt = 0,
  sending = null;

// It is a base of its own, so that a screen that was opened before it was
// there goes on with the queue's as it knows it.
async function open() {
  base = await openDB('readymargin-drafts', 1, {
    upgrade: (db) => db.createObjectStore('drafts', { keyPath: ['person', 'thing', 'place'] }),
    blocking: () => {
      base.close();
      base = null;
    },
  });
}

const key = (thing, place) => `${thing} ${place}`;

function take(thing, d) {
  const k = key(thing, d.place),
    now = known.get(k);
  if (now && new Date(now.at) >= new Date(d.at)) return false;
  known.set(k, { thing, place: d.place, body: d.body, at: d.at });
  return true;
}

// begin makes known what a person has typed about a thing: what the server
// sent, and what this device has. Of two, the later one.
export async function begin(who, thing, sent = []) {
  if (person && person !== who) known.clear();
  person = who;
  for (const d of sent) take(thing, d);
  try {
    opening ??= open();
    await opening;
    const mine = await base.getAll('drafts', IDBKeyRange.bound([who, thing, ''], [who, thing, '\uffff']));
    for (const d of mine) if (take(thing, d)) there.add(key(thing, d.place));
  } catch {
    /* this device keeps nothing: the server does */
  }
  if (there.size) later();
}

// of gives what was being typed at a place, or null.
export function of(thing, place) {
  const d = known.get(key(thing, place));
  return d?.body ? JSON.parse(d.body) : null;
}

// at gives all places of a thing that begin so, with what was typed there.
export const at = (thing, prefix) =>
  [...known.values()]
    .filter((d) => d.thing === thing && d.body && d.place.startsWith(prefix))
    .map((d) => [d.place.slice(prefix.length), JSON.parse(d.body)]);

// keep keeps what is being typed at a place; null is nothing.
export function keep(thing, place, value) {
  if (thing.endsWith('/0')) return; // something that is being tried out
  const k = key(thing, place),
    body = value === null ? '' : JSON.stringify(value),
    now = known.get(k);
  if ((now?.body ?? '') === body) return;
  known.set(k, { thing, place, body, at: new Date().toISOString() });
  here.add(k);
  there.add(k);
  events.onHeld(true);
  timer ||= setTimeout(write, SOON);
  later();
}

export const drop = (thing, place) => keep(thing, place, null);

async function write() {
  timer = 0;
  if (!base) return;
  const keys = [...here];
  here.clear();
  try {
    const tx = base.transaction('drafts', 'readwrite', { durability: 'strict' });
    await Promise.all([...keys.map((k) => tx.store.put({ person, ...known.get(k) })), tx.done]);
  } catch {
    /* the server gets it */
  }
}

// forget frees this device of what was taken away, once the server knows: until
// then the server's older words would come back with the next page.
async function forget(all) {
  const gone = all.filter((d) => !d.body && known.get(key(d.thing, d.place)) === d);
  if (!base || !gone.length) return;
  try {
    const tx = base.transaction('drafts', 'readwrite');
    for (const { thing, place, at: when } of gone) {
      const kept = await tx.store.get([person, thing, place]);
      if (kept?.at === when) await tx.store.delete([person, thing, place]);
    }
    await tx.done;
  } catch {
    /* it is sent once more */
  }
}

function later() {
  sender ||= setTimeout(
    () => {
      sender = 0;
      send();
    },
    Math.max(SOON + 100, sentAt + OFTEN - Date.now()),
  );
}

// send sends what the server has not got, and at the latest when the screen is left.
export async function send(leaving = false) {
  if (sending && !leaving) {
    await sending;
  }
  const byThing = new Map();
  for (const k of there) {
    const d = known.get(k);
    byThing.set(d.thing, [...(byThing.get(d.thing) ?? []), d]);
  }
  if (!byThing.size) return;
  sentAt = Date.now();
  sending = Promise.all(
    [...byThing].map(async ([thing, all]) => {
      try {
        await ask(`/drafts/${thing}`, {
          method: 'POST',
          json: all.map(({ place, body, at: when }) => ({ place, body, at: when })),
          keepalive: leaving,
          retry: !leaving,
        });
        for (const d of all) if (known.get(key(thing, d.place)) === d) there.delete(key(thing, d.place));
        await forget(all);
      } catch (e) {
        if (e.status >= 400 && e.status < 500 && e.status !== 429 && e.status !== 401) {
          for (const d of all) there.delete(key(thing, d.place)); // not this person's to say any more
          await forget(all);
        }
      }
    }),
  ).then(() => {
    sending = null;
    events.onHeld(false);
    if (there.size) later();
  });
  await sending;
}

const leave = () => {
  if (timer) {
    clearTimeout(timer);
    write();
  }
  send(true);
};
window.addEventListener('pagehide', leave);
document.addEventListener('visibilitychange', () => {
  if (document.hidden) leave();
});
window.addEventListener('online', () => {
  if (there.size) later();
});
