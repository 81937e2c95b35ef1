// found has what was found on the pages: blanks, questions, printed words.

import { ask } from '../net.js';
import { core } from '../core.js';
import { named, settled, url, view } from './doc.js';

const guides = new Map(),
  prints = new Map();
let asking = null;

// load fetches what was found, once for each way a page is turned.
export function load() {
  if (view.leaves.every((l) => guides.has(named(l)))) return Promise.resolve();
  asking ??= (async () => {
    await settled();
    const all = await ask(url('/found'));
    view.leaves.forEach((l, i) => {
      if (all[i]) guides.set(named(l), all[i]);
    });
    asking = null;
  })().catch(() => {
    asking = null;
  });
  return asking;
}

// again fetches what was found once more: words have come behind.
export function again() {
  guides.clear();
  prints.clear();
  return load();
}

const none = { places: [], questions: [] };
export const places = (l) => l.places ?? guides.get(named(l))?.places ?? none.places;
export const questions = (l) => l.questions ?? guides.get(named(l))?.questions ?? none.questions;
/** foundOn gives the places that were found on a leaf, whatever was corrected. */
export const foundOn = (l) => guides.get(named(l))?.places ?? none.places;
export const known = (l) => guides.has(named(l));

// own gives a leaf places (or questions) of its own, to be changed.
export function own(l, what) {
  l[what] ??= structuredClone({ places, questions }[what](l));
  return l[what];
}

// print tells the core what is printed on a leaf, and returns the number under
// which it knows the page.
export async function print(l) {
  await core.loaded;
  if (!prints.has(named(l))) {
    const number = prints.size + 1;
    prints.set(
      named(l),
      (async () => {
        const res = await fetch(url(`/sources/${l.source}/print/${l.page}/${l.turn}`));
        if (!res.ok) {
          prints.delete(named(l));
          return 0;
        }
        core.setPrint(number, await res.text());
        return number;
      })(),
    );
  }
  return prints.get(named(l));
}
