// doc is the worksheet in hand: its leaves with what stands on them, and its
// kit. Every change is kept at once and can be undone.

import { ask } from '../net.js';
import { showSaved } from '../saved.js';

export const view = JSON.parse(document.querySelector('#view').textContent);
export const doc = {
  at: 0,
  onChange: /** @type {(...args: any[]) => any} */ (() => {}),
  onHistory: /** @type {(...args: any[]) => any} */ (() => {}),
}; // at is the leaf in hand

let past = [],
  future = [],
  merging = null,
  dirty = false,
  running = null,
  timer = 0;

export const url = (path) => `/worksheets/${view.id}${path}`;
export const leaf = () => view.leaves[doc.at];
export const undecided = (l) => l.proposal && !l.decided;
export const across = (l) => l.turn % 180 !== 0;
export const size = (l) => (across(l) ? { w: l.h, h: l.w } : { w: l.w, h: l.h }); // as it is turned
export const named = (l) => `${l.source}/${l.page}/${l.turn}`;

// numbers gives each page that students get its number, 0 for the others.
export function numbers() {
  let n = 0;
  return view.leaves.map((l) => (l.use === 'sheet' ? ++n : 0));
}

const now = () => structuredClone({ leaves: view.leaves, kit: view.kit });

// change makes one step of undo of what f does to the leaves and the kit.
// Steps of the same kind that follow one another are one: typing in a field.
export function change(f, merge = null) {
  if (!merge || merge !== merging) past.push(now());
  future = [];
  merging = merge;
  f(view.leaves, view.kit);
  after(merge ? 600 : 0);
}

function after(wait) {
  doc.at = Math.min(Math.max(doc.at, 0), view.leaves.length - 1);
  view.changed = true;
  doc.onChange(wait > 0);
  doc.onHistory();
  dirty = true;
  showSaved('saving', 'Saving…');
  clearTimeout(timer);
  timer = setTimeout(send, wait);
}

function step(from, to) {
  if (!from.length) return;
  to.push(now());
  const was = from.pop();
  // Pages that came in since are not undone, only left out: nothing is lost.
  const missing = view.leaves.filter((l) => !was.leaves.some((o) => o.source === l.source && o.page === l.page));
  Object.assign(view, {
    leaves: [...was.leaves, ...missing.map((l) => ({ ...l, use: 'dropped', decided: true }))],
    kit: was.kit,
  });
  merging = null;
  after(0);
}
export const undo = () => step(past, future);
export const redo = () => step(future, past);
export const history = () => ({ undo: past.length > 0, redo: future.length > 0 });

// settled resolves when everything is kept.
export async function settled() {
  clearTimeout(timer);
  await send();
}

// fresh takes what the server has in place of what is here; joined says that
// this is what is here with more pages, so that all before can be undone.
export function fresh(answer, joined = false) {
  if (joined) past.push(now());
  else past = [];
  Object.assign(view, answer);
  future = [];
  merging = null;
  doc.at = Math.min(doc.at, view.leaves.length - 1);
  doc.onHistory();
}

// What was typed last is sent at once on leaving.
let leaving = false;
window.addEventListener('pagehide', () => {
  if (!dirty) return;
  clearTimeout(timer);
  leaving = true;
  send();
  leaving = false;
});

// send keeps the worksheet; changes go one after another, each on the version
// before. Without a connection it tries again until it gets through.
function send() {
  if (running || !dirty) return running;
  running = (async () => {
    while (dirty) {
      dirty = false;
      try {
        const answer = await ask(url('/plan'), {
          method: 'POST',
          json: { version: view.version, leaves: view.leaves, kit: view.kit },
          keepalive: leaving,
        });
        view.version = answer.version;
        if (!dirty) showSaved('saved', 'Saved');
      } catch (e) {
        if (e.status === 0) {
          dirty = true;
          showSaved('waiting', 'On this device only: there is no connection. We try again.');
          await new Promise((ok) => {
            setTimeout(ok, 2500);
          });
          continue;
        }
        showSaved('failed', `Not saved: ${e.message}`);
        if (e.status === 409) {
          fresh(await ask(url('')));
          doc.onChange(false);
        }
      }
    }
  })().finally(() => {
    running = null;
  });
  return running;
}
document.addEventListener('visibilitychange', () => {
  if (document.hidden && dirty) settled();
});
window.addEventListener('beforeunload', (e) => {
  if (dirty || running) e.preventDefault();
});
