// pick selects a mark of one's own layer, moves, recolours and removes it.
// Begun on print where no mark is, it selects the printed words.

import { core } from './core.js';
import { node } from './paint.js';
import { pixels } from './surface.js';
import { marks, mayChange, set, settleBeside } from './marks.js';
import { instruments } from './pointer.js';

export const picked = { entry: null, onChange: () => {} };
let frame = null;

export function pick(entry) {
  picked.entry = entry ?? null;
  frame?.remove();
  frame = null;
  if (entry && !entry.groups.length) picked.entry = null;
  if (picked.entry) outline();
  picked.onChange();
}

function outline(dx = 0, dy = 0) {
  const b = core.bounds(picked.entry.version);
  if (!b) return;
  frame?.remove();
  frame = node('rect', { class: 'chosen', x: b[0] - 3 + dx, y: b[1] - 3 + dy, width: b[2] - b[0] + 6, height: b[3] - b[1] + 6, rx: 2 });
  picked.entry.groups[0].ownerSVGElement.parentElement.querySelector('.over').append(frame);
}

instruments.pick = {
  down(p) {
    const version = core.hit(marks.view.edit, p.sheet.number, p, 4 / pixels() + 1);
    const entry = marks.shown.get(version);
    pick(entry);
    if (!picked.entry) return false;
    this.from = p;
    return true;
  },
  move(p) {
    if (!mayChange(picked.entry)) return;
    const dx = p.x - this.from.x, dy = p.y - this.from.y;
    for (const g of picked.entry.groups) g.setAttribute('transform', `translate(${dx} ${dy})`);
    outline(dx, dy);
  },
  up(p, e, moved) {
    if (moved) nudge(p.x - this.from.x, p.y - this.from.y);
    else for (const g of picked.entry?.groups ?? []) g.removeAttribute('transform');
  },
  tap(p) {
    const entry = picked.entry;
    if (entry?.mark.kind === 'freetext' && mayChange(entry) && this.twice === entry.version && Date.now() - this.when < 450) instruments.type.open(entry, p);
    this.twice = entry?.version;
    this.when = Date.now();
  },
  cancel() { pick(null); },
  leave() { pick(null); },
};

function replace(mark, merge) {
  const beside = picked.entry.beside;
  if (beside || !mark || !mayChange(picked.entry)) return;
  set(mark.id, mark, { before: picked.entry.mark, merge });
  pick([...marks.shown.values()].find((e) => e.mark.id === mark.id && !e.beside));
}

export function nudge(dx, dy, merge) { if (picked.entry) replace(core.moved(picked.entry.version, dx, dy), merge); }
export function recolour(color) { if (picked.entry) replace(core.recoloured(picked.entry.version, color)); }
export function remove() {
  const e = picked.entry;
  if (!e || !mayChange(e)) return;
  pick(null);
  if (e.beside) settleBeside(e.version, false);
  else set(e.mark.id, null, { before: e.mark });
}
export function takeBeside() {
  const e = picked.entry;
  pick(null);
  if (e?.beside) settleBeside(e.version, true);
}
