// queue keeps operations in the browser's own store until the server has
// acknowledged them, and says on screen where the work is. Sending an
// operation twice changes nothing, so a lost answer does no harm.

import { ask } from './net.js';
import { showSaved } from './saved.js';

const BATCH = 60;
let base = null, memory = [], owner = 0, sending = false, timer = 0, failures = 0, trouble = '';
let trial = false, seq = new Map(), now = 0, savedAt = null, nextKey = 1;
export const events = { onSaved: () => {} };

const done = (request) => new Promise((ok, fail) => { request.onsuccess = () => ok(request.result); request.onerror = () => fail(request.error); });

async function open() {
  const request = indexedDB.open('readymargin', 1);
  request.onupgradeneeded = () => {
    const s = request.result.createObjectStore('ops', { keyPath: 'key', autoIncrement: true });
    s.createIndex('copy', ['owner', 'copy']);
  };
  base = await done(request);
  navigator.storage?.persist?.();
}

// begin opens the store for a person and a copy. What waits for other copies
// of the same person is sent too; another person's changes are never seen.
export async function begin(person, copy, layer, have) {
  trial = !copy; // a worksheet that is being tried out: nothing is kept
  if (trial) { say('Trying it out: nothing is kept'); return; }
  owner = person;
  now = copy;
  seq.set(`${copy} ${layer}`, have);
  try { if (!base) await open(); } catch { base = null; }
  const kept = base ? await all(IDBKeyRange.bound([owner, 0], [owner, Number.MAX_SAFE_INTEGER])) : [];
  memory = [...kept, ...memory.filter((m) => !kept.some((k) => k.op.id === m.op.id))];
  say();
  if (memory.length) schedule(0);
}

const all = (range) => done(base.transaction('ops').objectStore('ops').index('copy').getAll(range));

// waiting gives what was done on a copy and is not acknowledged yet.
export const waiting = async (copy) => (trial ? [] : base ? all([owner, copy]) : memory.filter((m) => m.copy === copy));

// add keeps an operation; it resolves when the browser's store has it.
export async function add(copy, layer, op) {
  if (trial) return;
  const item = { owner, copy, layer, op };
  memory.push(item);
  say();
  if (base) {
    try {
      const tx = base.transaction('ops', 'readwrite', { durability: 'strict' });
      item.key = await done(tx.objectStore('ops').add(item));
    } catch { trouble = 'this browser keeps nothing. Stay on this page until it says “Saved”.'; }
  } else item.key = -(nextKey++);
  schedule(120);
}

export const busy = () => memory.length > 0;
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
  memory.sort((a, b) => !!a.refused - !!b.refused);
  const { copy, layer } = memory[0];
  const batch = [];
  for (const m of memory) {
    if (m.copy !== copy || m.layer !== layer || batch.length === BATCH || (batch.length && m.refused)) break; // refused ones go singly
    batch.push(m);
  }
  try {
    const answer = await ask(`/copies/${copy}/ops`, { method: 'POST', json: { layer, ops: batch.map((m) => m.op) } });
    await forget(batch);
    seq.set(`${copy} ${layer}`, answer.seq);
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
  const tx = base.transaction('ops', 'readwrite');
  for (const m of batch) if (m.key > 0) tx.objectStore('ops').delete(m.key);
}

// drained resolves when everything has been acknowledged, or fails with why not.
export async function drained() {
  for (let tries = 0; memory.length; tries++) {
    if (!sending) await send();
    if (memory.length && failures) throw new Error(memory.find((m) => m.refused)?.refused || 'There is no connection, so your last changes are on this device only. Nothing is lost. Try again when you are online.');
    await new Promise((r) => setTimeout(r, 30));
    if (tries > 600) throw new Error('Sending takes too long. Nothing is lost; try again.');
  }
}

const clock = (t) => t.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', hour12: false });

// say shows one of the four states and no other.
export function say(fixed) {
  let state = 'saved', words = savedAt ? `Saved ${clock(savedAt)}` : 'Saved';
  if (fixed) words = fixed;
  if (memory.length) {
    const n = memory.length;
    const refused = trouble || memory.find((m) => m.refused)?.refused;
    if (refused) { state = 'failed'; words = `Not saved: ${refused}`; }
    else if (failures) { state = 'waiting'; words = `On this device only, ${n} ${n === 1 ? 'change' : 'changes'} waiting`; }
    else { state = 'saving'; words = 'Saving…'; }
  }
  showSaved(state, words);
}

window.addEventListener('online', () => { failures = 0; schedule(0); });
window.addEventListener('pagehide', () => { if (memory.length) { clearTimeout(timer); send(); } });
document.addEventListener('visibilitychange', () => { if (document.hidden && memory.length) { clearTimeout(timer); send(); } });
export const savedSince = (t) => { if (!trial) { savedAt = t; say(); } };
