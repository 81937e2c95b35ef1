// shapes draws lines, arrows, boxes, ellipses and lines through several
// places; stamps ready signs and drawings of one's own. With Shift, lines run
// at steps of 15 degrees, boxes and ellipses are as wide as high; with Ctrl, or
// when that is set in the popover, ends and points go to the nearest crossing of a
// printed grid, word or mark.

import { core } from './core.js';
import { node } from './paint.js';
import { add, marks } from './marks.js';
import { instruments } from './pointer.js';
import { meaning, settings } from './settings.js';
import { signed } from './draw.js';
import { atSteps, round } from './surface.js';
import { union } from './frame.js';
import { toGrid } from './aids.js';
import { toSquare } from './squares.js';
import { near } from './blanks.js';
import { stampIn } from './fill.js';

const closed = (kind) => kind === 'circle' || kind === 'square';

function ghost(sheet) {
  const n = node('path', {
    fill: 'none',
    stroke: settings.shape.color,
    'stroke-width': settings.shape.width,
    'stroke-linecap': 'round',
    'stroke-linejoin': 'round',
  });
  sheet.marks.append(n);
  return n;
}

function held(a, p) {
  if (!closed(settings.shape.kind)) return atSteps(a, p);
  const dx = p.x - a.x,
    dy = p.y - a.y,
    side = Math.max(Math.abs(dx), Math.abs(dy));
  return { ...p, x: a.x + Math.sign(dx || 1) * side, y: a.y + Math.sign(dy || 1) * side };
}

// snapped goes to what is near: the edge of a printed word, or a mark's corner.
function snapped(p, e) {
  const grid = toGrid(p);
  if (grid) return grid;
  if (!(e.ctrlKey || e.metaKey || settings.snap)) return p;
  const square = toSquare(p);
  if (square) return square;
  const places = [];
  const corners = ([l, t, r, b]) =>
    places.push([l, t], [r, t], [l, b], [r, b], [(l + r) / 2, t], [(l + r) / 2, b], [l, (t + b) / 2], [r, (t + b) / 2]);
  const run = core.run(p.sheet.number, p, p, false);
  for (const q of run?.quadPoints ?? []) corners([q[0], q[1], q[4], q[5]]);
  for (const x of marks.shown.values())
    if (x.mark.page === p.sheet.number) {
      const b = core.bounds(x.version);
      if (b) corners(b);
    }
  const near = places.map(([x, y]) => ({ x, y, d: Math.hypot(x - p.x, y - p.y) })).sort((a, b) => a.d - b.d)[0];
  return near && near.d < 12 ? { ...p, x: near.x, y: near.y } : p;
}

const look = () => ({ color: settings.shape.color, width: settings.shape.width, opacity: settings.shape.opacity });
const ends = () =>
  ({ none: ['', ''], to: ['', 'OpenArrow'], from: ['OpenArrow', ''], both: ['OpenArrow', 'OpenArrow'] })[
    settings.shape.ends ?? 'to'
  ];
const endings = (kind) => (kind === 'arrow' ? ends() : ['', '']);

instruments.shape = {
  draws: true,
  down(p, e) {
    if (settings.shape.kind === 'polyline') {
      this.through(p, e);
      return;
    }
    this.from = snapped(p, e);
    this.to = this.from;
    this.ghost = ghost(p.sheet);
  },
  // through adds a place to a line through several; a second press on the last
  // place, Enter or another instrument ends it.
  through(p, e) {
    let at = snapped(p, e);
    if (!this.places || this.places[0].sheet !== p.sheet) {
      this.end();
      this.places = [];
      this.ghost = ghost(p.sheet);
    }
    const last = this.places.at(-1);
    if (last && e.shiftKey) at = held(last, at);
    if (last && Math.hypot(last.x - at.x, last.y - at.y) < 5) {
      this.end();
      return;
    }
    this.places.push(at);
    this.show();
  },
  show(to) {
    const all = [...this.places, ...(to ? [to] : [])];
    this.ghost.setAttribute(
      'd',
      all.map((q, i) => `${i ? 'L' : 'M'}${q.x} ${q.y}`).join('') + (all.length === 1 ? 'h.1' : ''),
    );
  },
  move(p, e) {
    if (this.places) {
      this.show(e.shiftKey ? held(this.places.at(-1), p) : p);
      return;
    }
    if (!this.from) return;
    this.to = e.shiftKey ? held(this.from, p) : snapped(p, e);
    const { x, y } = this.from,
      q = this.to;
    const [l, t, r, b] = [Math.min(x, q.x), Math.min(y, q.y), Math.max(x, q.x), Math.max(y, q.y)];
    this.ghost.setAttribute(
      'd',
      {
        circle: `M${l} ${(t + b) / 2}A${(r - l) / 2} ${(b - t) / 2} 0 1 1 ${r} ${(t + b) / 2}A${(r - l) / 2} ${(b - t) / 2} 0 1 1 ${l} ${(t + b) / 2}`,
        square: `M${l} ${t}H${r}V${b}H${l}Z`,
      }[settings.shape.kind] ?? `M${x} ${y}L${q.x} ${q.y}`,
    );
  },
  up(p, e, moved) {
    if (this.places) {
      if (moved) this.through(p, e);
      return;
    }
    this.ghost?.remove();
    const { kind } = settings.shape,
      a = this.from,
      b = this.to;
    this.from = null;
    if (!a || !moved || Math.hypot(a.x - b.x, a.y - b.y) < 4) return;
    if (closed(kind)) {
      const rect = [Math.min(a.x, b.x), Math.min(a.y, b.y), Math.max(a.x, b.x), Math.max(a.y, b.y)].map(round);
      if (rect[2] - rect[0] >= 2 && rect[3] - rect[1] >= 2)
        add(kind, a.sheet.number, { ...look(), rect, ...signed(meaning('shape')) });
    } else
      add('line', a.sheet.number, {
        ...look(),
        ...(kind === 'arrow' && settings.shape.heads !== 1 ? { heads: settings.shape.heads } : {}),
        l: [a.x, a.y, b.x, b.y].map(round),
        lineEnding: endings(kind),
      });
  },
  end() {
    const { places } = this;
    this.ghost?.remove();
    this.places = null;
    if (places?.length > 1)
      add('polyline', places[0].sheet.number, {
        ...look(),
        vertices: places.map((q) => [round(q.x), round(q.y)]),
        lineEnding: ['', ''],
      });
  },
  leave() {
    this.end();
  },
  cancel() {
    this.ghost?.remove();
    this.from = this.places = null;
  },
};

document.addEventListener('keydown', (e) => {
  if (instruments.shape.places && (e.key === 'Enter' || e.key === 'Escape')) instruments.shape.end();
});

// stamp sets a ready sign, or a drawing of one's own, where the page is pressed.
instruments.stamp = {
  tap(at, e) {
    const box = boxNear(at, e);
    if (box && settings.stamp.own === undefined) {
      stampIn(box, settings.stamp.name);
      return;
    }
    const { name, color, own, size = 18 } = settings.stamp,
      p = snapped(at, e);
    const mine = own !== undefined && settings.stamps[own];
    if (!mine) {
      add('stamp', p.sheet.number, {
        name,
        color,
        rect: [p.x - size / 2, p.y - size / 2, p.x + size / 2, p.y + size / 2].map(round),
      });
      return;
    }
    const dx = p.x - mine.w / 2,
      dy = p.y - mine.h / 2;
    const inkList = mine.inkList.map((s) => ({ ...s, path: s.path.map((v, i) => round(v + (i % 2 ? dy : dx))) }));
    add('ink', p.sheet.number, { color: mine.color, width: mine.width, opacity: mine.opacity, inkList });
  },
};

// boxNear gives a small printed box that a press means.
function boxNear(p, e) {
  const b = near(p, e);
  return b?.k === 'tick' && !b.f ? b : null;
}

// ownStamp keeps drawings that are in hand as a stamp of one's own.
export function ownStamp(entries) {
  const drawn = entries.filter((e) => e.mark.kind === 'ink');
  if (!drawn.length) return false;
  const b = union(drawn.map((e) => core.bounds(e.version)));
  const { color, width, opacity } = drawn[0].mark.body;
  const inkList = drawn
    .flatMap((e) => e.mark.body.inkList)
    .map((s) => ({ ...s, path: s.path.map((v, i) => round(v - (i % 2 ? b[1] : b[0]))) }));
  if (JSON.stringify(inkList).length > 6000) return false;
  settings.stamps = [...settings.stamps, { w: b[2] - b[0], h: b[3] - b[1], color, width, opacity, inkList }].slice(-6);
  return true;
}
