// blanks is where the places to write are corrected: dragged, resized, added,
// deleted, named, and told what is expected in them.

import { node } from '../paint.js';
import { change, doc, leaf, size, view } from './doc.js';
import { choose, spot, surfaces } from './leaves.js';
import { newId } from '../ids.js';
import { rulesOf } from '../ruling.js';
import { foundOn, known, load, own, places } from './found.js';
import { corrected, letGo, lines } from './parts.js';

const KINDS = {
  line: 'One line',
  lines: 'Several lines',
  number: 'Number with unit',
  box: 'Box',
  cell: 'Cell of a table',
  comb: 'A letter in each box',
  tick: 'Tick box',
  choice: 'Choose',
  drawing: 'Draw here',
  shade: 'Shade',
  room: 'Room to answer',
};
const round = (v) => Math.round(v * 100) / 100;
let at = -1; // the blank in hand, on the leaf in hand

function begin() {
  at = -1;
  load().then(() => doc.onChange(false));
}

const now = () => places(leaf())[at];
const set = (f, merge) => change((leaves) => f(own(leaves[doc.at], 'places')), merge && `${merge} ${doc.at} ${at}`);
const drawnOrChosen = (b) => ['tick', 'choice', 'drawing', 'shade', 'comb'].includes(b.k); // no letters of a size of their own
const tall = (k) => ['lines', 'box', 'room', 'drawing', 'shade'].includes(k);
// fitted keeps a rectangle on its page, and what is written in it inside.
function fitted(p, l) {
  const s = size(l),
    r = p.r;
  const w = Math.max(r[2] - r[0], 6),
    h = Math.max(r[3] - r[1], 6);
  const x = Math.min(Math.max(r[0], 0), s.w - w),
    y = Math.min(Math.max(r[1], 0), s.h - h);
  p.r = [x, y, x + w, y + h].map(round);
  p.s = tall(p.k) ? Math.min(Math.max(p.s, 8), 14) : round(Math.min(Math.max(0.62 * h, 8), 14));
  p.y = round(tall(p.k) ? y + 1.2 * p.s : y + h - Math.max(2, 0.28 * p.s));
  return p;
}
const fresh = (r) => fitted({ i: newId(), r, y: 0, s: 12, k: r[3] - r[1] > 34 ? 'lines' : 'line', l: '' }, leaf());

function add(r) {
  change((leaves) => {
    const all = own(leaves[doc.at], 'places'),
      p = fresh(r);
    at = all.findIndex((q) => q.y > p.y + 3 || (q.y > p.y - 3 && q.r[0] > p.r[0]));
    if (at < 0) at = all.length;
    all.splice(at, 0, p);
  });
}
function remove() {
  if (!now()) return;
  const i = at;
  at = -1;
  set((all) => all.splice(i, 1));
}
function shift(d) {
  const to = at + d;
  if (to < 0 || to >= places(leaf()).length) return;
  change((leaves) => {
    const all = own(leaves[doc.at], 'places');
    all.splice(to, 0, ...all.splice(at, 1));
    at = to;
  });
}

// expected changes what is expected in the blank in hand; what is empty is not.
const expected = (k, v) =>
  set((all) => {
    const e = { ...all[at].e, [k]: v };
    if (!v.length) delete e[k];
    if (Object.keys(e).length) all[at].e = e;
    else delete all[at].e;
  }, k);

// joinable says whether the blank in hand and the one behind it are ruled lines
// beneath each other.
function joinable(all) {
  const [p, q] = [all[at], all[at + 1]];
  if (!q || !['line', 'lines'].includes(p.k) || q.k !== 'line' || p.f || q.f) return false;
  const step = q.y - (p.y + (p.d ? p.d * (rulesOf(p) - 1) : 0));
  return step > 8 && step < 60 && (!p.d || Math.abs(step - p.d) < 3) && Math.abs(q.r[0] - p.r[0]) < 30;
}

// lettersOf sets how large what is written in all places of the worksheet is:
// as the print beside them, or as young children write.
const lettersOf = (size) =>
  change((leaves) => {
    for (const l of leaves) {
      if (l.use !== 'sheet') continue;
      const found = new Map(foundOn(l).map((p) => [p.i, p.s]));
      for (const p of own(l, 'places')) if (!drawnOrChosen(p)) p.s = size || found.get(p.i) || Math.min(p.s, 14);
    }
  });

const panel = {
  kinds: Object.entries(KINDS),
  refused: '',
  heading: '',
  corrected: false,
  all: [],
  kind: '', // of the blank in hand, if there is one
  label: '',
  options: '',
  holds: '',
  joins: false,
  splits: false,
  size: 0, // of the letters in all places, 0 for as they are printed
  answered: false,
  number: '',
  tolerance: '',
  unit: '',
  words: '',
  show() {
    const l = leaf(),
      p = now(),
      looking = !known(l) && !l.places;
    this.refused =
      l.use !== 'sheet'
        ? 'Students do not get this page, so nobody writes on it.'
        : looking
          ? 'Looking for the places to write…'
          : '';
    const all = this.refused ? [] : places(l);
    this.heading = all.length === 1 ? '1 blank on this page' : `${all.length || 'No'} blanks on this page`;
    this.corrected = corrected('places');
    this.all = all.map((b, i) => ({
      i: b.i,
      at: i,
      here: i === at,
      words: b.l || 'no words before it',
      kind: KINDS[b.k],
    }));
    const sizes = new Set(all.filter((b) => !drawnOrChosen(b)).map((b) => b.s));
    this.size = sizes.size === 1 && [18, 24].includes([...sizes][0]) ? [...sizes][0] : 0;
    this.kind = (!this.refused && p?.k) || '';
    if (!this.kind) return;
    const { number = '', tolerance = '', unit = '', words = [] } = p.e ?? {};
    Object.assign(this, { holds: p.h ?? '', joins: joinable(all), splits: p.k === 'lines' && !!p.d });
    Object.assign(this, { label: p.l, options: (p.o ?? []).join('\n'), answered: !!p.e });
    Object.assign(this, { number, tolerance, unit, words: words.join('\n') });
  },
  addOne() {
    const s = size(leaf());
    add([s.w / 2 - 70, s.h / 2 - 9, s.w / 2 + 70, s.h / 2 + 9]);
  },
  asFound() {
    at = -1;
    letGo('places');
  },
  pick,
  keys,
  shift,
  remove,
  setKind: (k) =>
    set((all) => {
      const was = tall(all[at].k);
      all[at].k = k;
      if (was !== tall(k)) fitted(all[at], leaf());
    }),
  setHolds: (v) =>
    set((all) => {
      if (v) all[at].h = v;
      else delete all[at].h;
    }),
  split: () =>
    set((all) => {
      const p = all[at],
        n = rulesOf(p);
      all.splice(
        at,
        1,
        ...Array.from({ length: n }, (_, i) => {
          const y = round(p.y + i * p.d),
            { d: _d, e: _e, ...one } = p;
          return { ...one, i: i ? newId() : p.i, k: 'line', y, r: [p.r[0], round(y - p.d + 3), p.r[2], round(y + 2)] };
        }),
      );
    }),
  join: () =>
    set((all) => {
      const [p, q] = [all[at], all[at + 1]],
        d = p.d ?? round(q.y - p.y);
      Object.assign(p, { k: 'lines', d, r: [p.r[0], p.r[1], Math.max(p.r[2], q.r[2]), q.r[3]].map(round) });
      all.splice(at + 1, 1);
    }),
  letters: (size) => lettersOf(size),
  setLabel: (v) =>
    set((all) => {
      all[at].l = v;
    }, 'label'),
  setOptions: (v) =>
    set((all) => {
      all[at].o = lines(v);
    }, 'options'),
  expect: expected,
  expectWords: (v) => expected('words', lines(v)),
};

export const mode = {
  begin,
  panel,
  paint,
  leave: () => {
    at = -1;
  },
  keys,
  down,
};

async function pick(i) {
  at = i;
  await doc.onChange(false);
  document.querySelector('.blank-list [aria-current="true"]')?.focus({ preventScroll: true });
}

function paint(s, l, i) {
  if (l.use !== 'sheet') return;
  places(l).forEach((p, n) => {
    const [x, y, r, b] = p.r,
      here = i === doc.at && n === at;
    s.over.append(
      node('rect', { class: here ? 'blank here' : 'blank', x, y, width: r - x, height: b - y, 'data-n': n }),
    );
    const t = node('text', { class: 'blank-n', x: x + 2, y: y + 7.5 });
    t.textContent = n + 1;
    s.over.append(t);
    if (here)
      for (const [cx, cy, name] of [
        [x, y, 'nw'],
        [r, y, 'ne'],
        [x, b, 'sw'],
        [r, b, 'se'],
      ])
        s.over.append(node('circle', { class: 'handle', cx, cy, r: 4, 'data-corner': name }));
  });
}

// down begins a gesture on a large page: resizing, moving, or drawing a new one.
function down(e, s) {
  const l = view.leaves[s.i];
  if (l.use !== 'sheet') return null;
  const from = spot(e, s),
    corner = e.target.dataset?.corner,
    n = e.target.dataset?.n;
  if (corner && now()) return resize(from, corner);
  if (n !== undefined) {
    choose(s.i, false);
    at = +n;
    doc.onChange(false);
    return drag(from);
  }
  const ghost = node('rect', { class: 'blank here' });
  surfaces[s.i].over.append(ghost);
  at = -1;
  const corners = (p) => [Math.min(from.x, p.x), Math.min(from.y, p.y), Math.max(from.x, p.x), Math.max(from.y, p.y)];
  return {
    move(p) {
      const [x, y, r, b] = corners(p);
      for (const [k, v] of Object.entries({ x, y, width: r - x, height: b - y })) ghost.setAttribute(k, v);
    },
    up(p) {
      ghost.remove();
      const r = corners(p);
      if (r[2] - r[0] > 8 && r[3] - r[1] > 5) {
        choose(s.i, false);
        add(r);
      } else doc.onChange(false);
    },
  };
}

const stroke = () => `drag ${Date.now()}`;
function drag(from) {
  const was = now().r,
    merge = stroke();
  return {
    move(p) {
      if (Math.hypot(p.x - from.x, p.y - from.y) * from.pixels < 3) return;
      place((r) => r.map((v, k) => v + (k % 2 ? p.y - from.y : p.x - from.x)), was, merge);
    },
    up() {},
  };
}
function resize(from, corner) {
  const was = now().r,
    merge = stroke();
  return {
    move(p) {
      place(
        (r) => {
          const q = [...r];
          if (corner.includes('w')) q[0] = Math.min(p.x, r[2] - 6);
          else q[2] = Math.max(p.x, r[0] + 6);
          if (corner.includes('n')) q[1] = Math.min(p.y, r[3] - 6);
          else q[3] = Math.max(p.y, r[1] + 6);
          return q;
        },
        was,
        merge,
      );
    },
    up() {},
  };
}
const place = (f, was, merge) =>
  set((all) => {
    const p = all[at],
      first = p.y - p.r[1]; // ruled lines stay as far below the edge as they were
    p.r = f(was);
    fitted(p, leaf());
    if (p.d) p.y = round(p.r[1] + first);
  }, merge);

function keys(e) {
  if (!now() || e.target.closest?.('input, textarea, select')) return;
  const d = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
  if (d) {
    e.preventDefault();
    const k = e.shiftKey ? 10 : 1,
      [dx, dy] = [d[0] * k, d[1] * k];
    if (e.altKey) place((r) => [r[0], r[1], r[2] + dx, r[3] + dy], now().r, 'size');
    else place((r) => [r[0] + dx, r[1] + dy, r[2] + dx, r[3] + dy], now().r, 'arrow');
  } else if (e.key === 'Delete' || e.key === 'Backspace') {
    e.preventDefault();
    remove();
  }
}
