// history knows the way back: what was done on this screen, in steps, across
// pages. It outlives a reload of the page, in this tab only.

import { change, find } from './marks.js';
import { toast } from './toast.js';

const MOST = 200; // steps
let past = [],
  future = [],
  place = '';
export const events = { onChange: /** @type {(...args: any[]) => any} */ (() => {}) };

// begin takes up what this tab remembers of a copy.
export function begin(view) {
  const where = `history ${view.person} ${view.copy} ${view.edit} ${view.attempt}`;
  if (where === place) return;
  place = where;
  past = [];
  future = [];
  try {
    ({ past, future } = JSON.parse(sessionStorage.getItem(place)) ?? { past, future });
  } catch {
    /* begun anew */
  }
  events.onChange();
}

function keep() {
  past = past.slice(-MOST);
  try {
    sessionStorage.setItem(place, JSON.stringify({ past, future }));
  } catch {
    sessionStorage.removeItem(place);
  }
  events.onChange();
}

// did remembers steps that were taken together; those with the same merge key
// as the last ones continue them.
export function did(steps, merge) {
  const open = past.at(-1);
  if (merge && open?.merge === merge && open.steps.length === steps.length)
    steps.forEach((s, i) => {
      open.steps[i].after = s.after;
    });
  else past.push({ steps, merge });
  future = [];
  keep();
}

const same = (a, b) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

function step(from, to, side) {
  const item = from.pop();
  if (!item) return;
  const steps = side === 'before' ? [...item.steps].reverse() : item.steps,
    other = side === 'before' ? 'after' : 'before';
  // Nothing that came from another device meanwhile is overwritten unseen.
  if (steps.some((s) => !same(find(s.on)?.mark, s[other])))
    toast('That was changed elsewhere meanwhile, so it is left as it is.');
  else {
    for (const s of steps) change(s.on, s[side], s.layer);
    to.push({ ...item, merge: undefined });
  }
  keep();
}
export const undo = () => step(past, future, 'before');
export const redo = () => step(future, past, 'after');

const KINDS = {
  freetext: 'text',
  ink: 'line',
  highlight: 'highlight',
  underline: 'underline',
  strikeout: 'crossing out',
  line: 'line',
  polyline: 'line',
  square: 'box',
  circle: 'ellipse',
  stamp: 'stamp',
  picture: 'picture',
  widget: 'filling in',
  note: 'note',
  reply: 'reply',
  paper: 'page',
};

function words(item) {
  if (!item) return '';
  const { before, after } = item.steps[0],
    n = item.steps.length;
  const thing = n > 1 ? `${n} things` : (KINDS[(after ?? before).kind] ?? 'it');
  return !before ? thing : !after ? `deleting ${thing}` : `changing ${thing}`;
}

// steps says what undo and redo would do now, in words, or ''.
export const steps = () => ({ undo: words(past.at(-1)), redo: words(future.at(-1)) });
