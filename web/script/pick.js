// pick selects marks of one's own, one or several, and changes them together:
// moving, stretching, turning, restyling, their order. Begun on print where no
// mark is it selects the printed words; begun on empty paper it draws a loop.

import { core } from './core.js';
import { node, paint, unpaint } from './paint.js';
import { current, pixels, sheetOf } from './surface.js';
import { add, hit, layers, marks, mayChange, set, settleConflict, together } from './marks.js';
import { instruments } from './pointer.js';
import { draw, grabbed, helps, lines } from './frame.js';
import { again } from './rich.js';

export const picked = {
  all: [],
  onChange: /** @type {(...args: any[]) => any} */ (() => {}),
  get entry() {
    return this.all.length === 1 ? this.all[0] : null;
  },
};

// pick takes entries in hand instead of those that were.
export function pick(...entries) {
  picked.all = entries.filter((e) => e?.groups.length && e.mark.page === entries[0].mark.page);
  draw(picked.all);
  picked.onChange();
}

export const pickPage = () => {
  const s = sheetOf(picked.all[0]?.mark.page) ?? current();
  if (s)
    pick(
      ...core
        .within(layers(), s.number, [])
        .map((v) => marks.shown.get(v))
        .filter((e) => e && mayChange(e) && !e.conflict),
    );
};

const able = () => picked.all.filter((e) => mayChange(e) && !e.conflict);
const wordy = (e) => ['highlight', 'underline', 'strikeout'].includes(e.mark.kind) && e.mark.body.text;

// preview shows marks as they would become.
let ghosts = [];
function preview(pairs) {
  for (const g of ghosts) unpaint(g);
  ghosts = pairs.map(([e, mark]) => {
    for (const g of e.groups) g.style.visibility = 'hidden';
    const ghost = { mark: { ...mark, id: `${mark.id}` }, layer: e.layer, shapes: core.shapes(mark), groups: [] };
    paint(sheetOf(mark.page), ghost);
    return ghost;
  });
}
function unpreview() {
  for (const g of ghosts) unpaint(g);
  ghosts = [];
  for (const e of picked.all) for (const g of e.groups) g.style.visibility = '';
}

// replace puts changed marks in place of those in hand, as one step.
export function replace(pairs, merge) {
  const whole = pairs.filter(([, mark]) => mark);
  if (!whole.length) return;
  if (whole.length === 1) set(whole[0][1].id, whole[0][1], { before: whole[0][0].mark, merge });
  else
    together(() => {
      for (const [e, mark] of whole) set(mark.id, mark, { before: e.mark });
    });
  const ids = new Set(whole.map(([, m]) => m.id));
  pick(...[...marks.shown.values()].filter((e) => ids.has(e.mark.id) && !e.conflict));
}

// resnap lays a mark over words on the words that are where it was dragged.
function resnap(e, dx, dy) {
  const q = e.mark.body.quadPoints,
    a = q[0],
    b = q.at(-1);
  const run = core.run(
    e.mark.page,
    { x: a[0] + 1 + dx, y: (a[1] + a[7]) / 2 + dy },
    { x: b[2] - 1 + dx, y: (b[3] + b[5]) / 2 + dy },
    false,
  );
  return run ? { ...e.mark, body: { ...e.mark.body, quadPoints: run.quadPoints, text: run.text } } : null;
}

const moved = (e, dx, dy) => (wordy(e) ? (resnap(e, dx, dy) ?? e.mark) : core.moved(e.version, dx, dy));

instruments.pick = {
  down(p, e) {
    this.from = p;
    this.grab = grabbed(p, e);
    if (this.grab) return true;
    const entry = hit(p, 4 / pixels() + 1);
    if (entry && e.shiftKey) {
      pick(...(picked.all.includes(entry) ? picked.all.filter((x) => x !== entry) : [...picked.all, entry]));
      return false;
    }
    if (entry) {
      if (!picked.all.includes(entry)) pick(entry);
      this.grab = { kind: 'move' };
      this.lead = helps(picked.all);
      return true;
    }
    pick();
    if (e.pointerType === 'touch' || core.onWord(p.sheet.number, p)) return false; // the browser scrolls, or selects words
    this.grab = { kind: 'loop', way: [p.x, p.y] };
    this.line = node('path', { class: 'loop' });
    p.sheet.box.querySelector('.over').append(this.line);
    return true;
  },
  move(p, e) {
    const g = this.grab,
      ones = able(),
      dx = p.x - this.from.x,
      dy = p.y - this.from.y;
    if (g.kind === 'loop') {
      g.way.push(p.x, p.y);
      this.line.setAttribute(
        'd',
        `M${g.way[0]} ${g.way[1]}${g.way
          .slice(2)
          .map((v, i) => (i % 2 ? ` ${v}` : `L${v}`))
          .join('')}Z`,
      );
      return;
    }
    if (!ones.length) return;
    if (g.kind === 'move') {
      const [sx, sy] = ones.some(wordy) ? [dx, dy] : this.lead(dx, dy, e.altKey);
      this.pairs = ones.map((x) => [x, moved(x, sx, sy)]);
    } else if (g.kind === 'turn') {
      const at = Math.atan2(p.y - g.y, p.x - g.x) - Math.atan2(this.from.y - g.y, this.from.x - g.x);
      let degrees = (at * 180) / Math.PI;
      if (e.shiftKey) degrees = Math.round((g.turn + degrees) / 15) * 15 - g.turn;
      this.pairs = ones.map((x) => [x, core.turned(x.version, g.x, g.y, degrees)]);
    } else this.pairs = g.stretch(p, e).map(([x, mark]) => [x, mark]);
    preview(this.pairs);
    draw(
      this.pairs.map(([x, mark]) => ({ ...x, mark })),
      true,
    );
  },
  up(p, e, moved) {
    const { grab, pairs } = this;
    this.line?.remove();
    lines();
    unpreview();
    this.pairs = this.grab = null;
    if (grab?.kind === 'loop') {
      if (moved)
        pick(
          ...core
            .within(layers(), p.sheet.number, grab.way)
            .map((v) => marks.shown.get(v))
            .filter(Boolean),
        );
      return;
    }
    if (moved && pairs) replace(grab.settle ? grab.settle(pairs) : pairs);
    else draw(picked.all);
  },
  tap(p) {
    const e = picked.entry;
    if (e?.mark.kind === 'freetext' && mayChange(e) && this.twice === e.version && Date.now() - this.when < 450) {
      instruments.type.open(e, p);
      pick();
    }
    this.twice = e?.version;
    this.when = Date.now();
  },
  cancel() {
    this.line?.remove();
    unpreview();
    lines();
    this.pairs = this.grab = null;
    draw(picked.all);
  },
  leave() {
    pick();
  },
};

// What can be done with all that is in hand.
export const nudge = (dx, dy, merge) =>
  replace(
    able().map((e) => [e, moved(e, dx, dy)]),
    merge,
  );
export const restyle = (style) => replace(able().map((e) => [e, core.restyled(e.version, style)]));
export const retype = (change) =>
  replace(
    able()
      .filter((e) => e.mark.kind === 'freetext')
      .map((e) => [e, { ...e.mark, body: again(sheetOf(e.mark.page), e.mark.body, change) }]),
  );

// order lays what is in hand before or behind all other marks of the page.
export function order(front) {
  const ones = able(),
    ranks = [...marks.shown.values()]
      .filter((e) => e.mark.page === ones[0]?.mark.page && !ones.includes(e))
      .map((e) => e.mark.rank ?? 0);
  const rank = Math.min(Math.max(front ? Math.max(0, ...ranks) + 1 : Math.min(0, ...ranks) - 1, -1000), 1000);
  replace(ones.map((e) => [e, { ...e.mark, rank }]));
}

export function remove() {
  const ones = able(),
    beside = picked.all.filter((e) => e.conflict && mayChange(e));
  pick();
  for (const e of beside) settleConflict(e.version, false);
  if (ones.length)
    together(() => {
      for (const e of ones) set(e.mark.id, null, { before: e.mark });
    });
}

export function takeBeside() {
  const e = picked.entry;
  pick();
  if (e?.conflict) settleConflict(e.version, true);
}

// lay adds copies of marks to a page and takes them in hand.
export function lay(bodies, page, dx, dy) {
  const made = [];
  together(() => {
    for (const { kind, body, rank } of bodies) {
      const mark = add(kind, page, body),
        e = [...marks.shown.values()].find((x) => x.mark.id === mark.id);
      if (!e) continue;
      const shifted = { ...core.moved(e.version, dx, dy), ...(rank ? { rank } : {}) };
      set(mark.id, shifted, { before: mark });
      made.push(mark.id);
    }
  });
  pick(...[...marks.shown.values()].filter((e) => made.includes(e.mark.id)));
}
export const duplicate = () =>
  lay(
    able()
      .filter((e) => e.mark.kind !== 'widget')
      .map((e) => e.mark),
    picked.all[0]?.mark.page,
    12,
    12,
  );
