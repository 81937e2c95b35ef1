// aids are transparent things to lay on the page and to draw along: a ruler, a
// protractor, a square grid. They belong to the screen, not to the copy.

import { node } from './paint.js';
import { current, pixels, surface } from './surface.js';
import { instruments } from './pointer.js';

const MM = 72 / 25.4; // points
const laid = {}; // by name: {sheet, x, y, turn, group, step}
const NEAR = 9; // points from its edge within which a line follows the ruler
export const aids = { onChange: /** @type {(...args: any[]) => any} */ (() => {}) };
export const isLaid = (name) => !!laid[name];

// toggle lays an aid on the page in view, or takes it away.
export function toggle(name) {
  const a = laid[name];
  if (a) {
    a.group.remove();
    a.knob?.remove();
    delete laid[name];
    aids.onChange();
    return;
  }
  const sheet = current();
  laid[name] = { name, sheet, x: sheet.w / 2, y: sheet.h * 0.35, turn: 0, step: 5 * MM };
  draw(laid[name]);
  aids.onChange();
}

const text = (x, y, words, size = 5.5) => {
  const t = node('text', { x, y, 'font-size': size, 'text-anchor': 'middle' });
  t.textContent = words;
  return t;
};

const parts = {
  ruler() {
    const long = 160 * MM,
      out = [node('rect', { x: -long / 2, y: 0, width: long, height: 30, rx: 2 })];
    for (let i = 0; i <= 150; i++) {
      const x = -long / 2 + (i + 5) * MM,
        h = i % 10 === 0 ? 9 : i % 5 === 0 ? 6.5 : 4;
      out.push(node('path', { d: `M${x} 0V${h}` }));
      if (i % 10 === 0) out.push(text(x, 16, String(i / 10)));
    }
    return out;
  },
  protractor() {
    const r = 50 * MM,
      out = [node('path', { d: `M${-r} 0A${r} ${r} 0 0 1 ${r} 0Z` }), node('path', { d: `M${-r} 0H${r}M0 0V-8` })];
    for (let d = 0; d <= 180; d++) {
      const a = (d * Math.PI) / 180,
        c = Math.cos(a),
        s = Math.sin(a),
        h = d % 10 === 0 ? 10 : d % 5 === 0 ? 7 : 4;
      out.push(node('path', { d: `M${r * c} ${-r * s}L${(r - h) * c} ${-(r - h) * s}` }));
      if (d % 10 === 0)
        out.push(
          text((r - 15) * c, -(r - 15) * s + 2, String(d), 5),
          text((r - 24) * c, -(r - 24) * s + 2, String(180 - d), 4),
        );
    }
    return out;
  },
  grid(a) {
    const side = 100 * MM,
      out = [node('rect', { x: -side / 2, y: -side / 2, width: side, height: side })];
    for (let v = -side / 2; v <= side / 2 + 0.01; v += a.step)
      out.push(node('path', { d: `M${v} ${-side / 2}V${side / 2}M${-side / 2} ${v}H${side / 2}` }));
    return out;
  },
};
const reach = { ruler: (160 * MM) / 2, protractor: 50 * MM, grid: 50 * MM };

function draw(a) {
  a.group?.remove();
  a.group = node('g', { class: `aid ${a.name}`, transform: `translate(${a.x} ${a.y}) rotate(${a.turn})` });
  a.group.append(
    ...parts[a.name](a),
    node('circle', {
      class: 'handle',
      cx: reach[a.name] - (a.name === 'ruler' ? 12 : 0),
      cy: a.name === 'ruler' ? 20 : 0,
      r: 7,
    }),
    text(
      a.name === 'ruler' ? reach.ruler - 34 : 0,
      a.name === 'ruler' ? 23 : a.name === 'grid' ? 50 * MM - 4 : -12,
      `${Math.round(((-a.turn % 360) + 360) % 360)}°`,
      7,
    ),
  );
  a.sheet.box.querySelector('.over').append(a.group);
}

// own gives a place as the aid would see it if it lay upright at the origin.
function own(a, p) {
  const t = (-a.turn * Math.PI) / 180,
    dx = p.x - a.x,
    dy = p.y - a.y;
  return { x: dx * Math.cos(t) - dy * Math.sin(t), y: dx * Math.sin(t) + dy * Math.cos(t) };
}
const back = (a, q) => {
  const t = (a.turn * Math.PI) / 180;
  return { x: a.x + q.x * Math.cos(t) - q.y * Math.sin(t), y: a.y + q.x * Math.sin(t) + q.y * Math.cos(t) };
};

function under(p) {
  for (const a of Object.values(laid)) {
    if (a.sheet !== p.sheet) continue;
    const q = own(a, p),
      r = reach[a.name];
    if (
      Math.hypot(q.x - (a.name === 'ruler' ? r - 12 : r), q.y - (a.name === 'ruler' ? 20 : 0)) <
      Math.max(9, 14 / pixels())
    )
      return { a, turns: true };
    if (
      a.name === 'ruler'
        ? Math.abs(q.x) < r && q.y > -2 && q.y < 30
        : a.name === 'protractor'
          ? Math.hypot(q.x, q.y) < r && q.y < 4
          : Math.max(Math.abs(q.x), Math.abs(q.y)) < r
    )
      return { a };
  }
  return null;
}

// ruler moves and turns what is laid on the page.
instruments.ruler = {
  draws: true,
  down(p) {
    this.on = under(p);
    this.from = p;
    if (this.on) this.was = { ...this.on.a };
  },
  move(p, e) {
    const { on, was, from } = this;
    if (!on) return;
    if (on.turns) {
      let turn =
        was.turn +
        ((Math.atan2(p.y - was.y, p.x - was.x) - Math.atan2(from.y - was.y, from.x - was.x)) * 180) / Math.PI;
      if (e.shiftKey) turn = Math.round(turn / 15) * 15;
      on.a.turn = turn;
    } else Object.assign(on.a, { x: was.x + p.x - from.x, y: was.y + p.y - from.y });
    draw(on.a);
  },
  cancel() {
    if (this.on) {
      Object.assign(this.on.a, this.was, { group: this.on.a.group });
      draw(this.on.a);
    }
  },
};

// The same by keyboard: arrows move what was laid last, with Alt they turn it.
export function nudgeAid(dx, dy, turning) {
  const a = Object.values(laid).at(-1);
  if (!a) return false;
  if (turning) a.turn += dx || dy;
  else Object.assign(a, { x: a.x + dx, y: a.y + dy });
  draw(a);
  return true;
}

// along lays samples of a pen that were drawn beside an edge onto the edge.
export function along(samples, sheet) {
  const n = samples.length / 3;
  for (const a of Object.values(laid)) {
    if (a.sheet !== sheet || a.name === 'grid') continue;
    const at = Array.from({ length: n }, (_, i) => own(a, { x: samples[3 * i], y: samples[3 * i + 1] })),
      r = reach[a.name];
    const flat = at.every((q) => Math.abs(q.y) < NEAR && Math.abs(q.x) < r + NEAR);
    const round = a.name === 'protractor' && at.every((q) => Math.abs(Math.hypot(q.x, q.y) - r) < NEAR && q.y < NEAR);
    if (!flat && !round) continue;
    return at.flatMap((q, i) => {
      const k = r / Math.hypot(q.x, q.y),
        on = back(a, flat ? { x: q.x, y: 0 } : { x: q.x * k, y: q.y * k });
      return [on.x, on.y, samples[3 * i + 2]];
    });
  }
  return samples;
}

// toGrid gives the crossing of a grid near a place, or null.
export function toGrid(p) {
  const a = laid.grid;
  if (!a || a.sheet !== p.sheet) return null;
  const q = own(a, p),
    half = 50 * MM,
    cell = (v) => Math.round((v + half) / a.step) * a.step - half;
  if (Math.max(Math.abs(q.x), Math.abs(q.y)) > half + 2) return null;
  const on = { x: cell(q.x), y: cell(q.y) };
  return Math.hypot(on.x - q.x, on.y - q.y) < Math.min(a.step * 0.4, 8) ? { ...p, ...back(a, on) } : null;
}

// step gives or sets the side of the grid's squares, in millimetres.
export const step = () => Math.round((laid.grid?.step ?? 5 * MM) / MM);
export function setStep(mm) {
  if (laid.grid) {
    laid.grid.step = mm * MM;
    draw(laid.grid);
  }
}

// lost takes aids away whose page is no longer there.
export function lost() {
  for (const name of Object.keys(laid))
    if (!surface.sheets.includes(laid[name].sheet)) {
      laid[name].group.remove();
      delete laid[name];
    }
}
