// draw has the instruments that draw and need the core at once: highlighter,
// stamp, eraser; and what becomes of the lines of pen.js.

import { core } from './core.js';
import { node } from './paint.js';
import { words, pixels } from './surface.js';
import { add, marks, mayChange, set, together } from './marks.js';
import { instruments } from './pointer.js';
import { toast } from './dialogs.js';
import { meaning, settings } from './settings.js';

const round = (v) => Math.round(v * 100) / 100;

core.loaded.then(() => {
  const { pen } = instruments;
  pen.keep = ({ samples, style, sheet, canvas }) => {
    const stroke = core.stroke(samples);
    if (stroke) add('ink', sheet.number, { ...style, inkList: [stroke] });
    canvas.remove();
  };
  pen.waiting.splice(0).forEach(pen.keep);
});

instruments.highlighter = {
  draws: true,
  down(p) {
    this.from = p;
    this.wash = node('path', { fill: settings.highlighter.color });
    p.sheet.washes.append(this.wash);
    this.color = settings.highlighter.color;
    this.meaning = meaning('highlighter');
    this.letters = settings.highlighter.letters;
    this.onWords = !!core.run(p.sheet.number, p, p, this.letters);
    this.body = null;
    words(p.sheet);
    if (this.onWords) this.move(p);
  },
  move(p) {
    this.body = this.onWords ? core.run(this.from.sheet.number, this.from, p, this.letters) : box(this.from, p);
    this.wash.setAttribute('d', (this.body?.quadPoints ?? []).map(outline).join(''));
  },
  up(p, e, moved) {
    this.wash.remove();
    if (!this.body || (!this.onWords && !moved)) return;
    const body = { color: this.color, quadPoints: this.body.quadPoints };
    if (this.body.text) body.text = this.body.text;
    Object.assign(body, signed(this.meaning));
    add('highlight', this.from.sheet.number, body);
  },
  cancel() { this.wash?.remove(); },
};

const signed = (m) => (m ? { meaning: m.name, sign: m.sign } : {});

// underline and cross-out follow the words, as the highlighter does on print;
// where no words are there is nothing for them to do.
function overWords(name, kind) {
  return {
    draws: true,
    down(p) {
      this.from = p;
      this.line = node('path', { fill: 'none', stroke: settings[name].color, 'stroke-width': 1.2 });
      p.sheet.marks.append(this.line);
      this.body = null;
      words(p.sheet).then(() => { if (this.from === p && !this.body) this.move(p); });
    },
    move(p) {
      this.body = core.run(this.from.sheet.number, this.from, p, settings.highlighter.letters);
      const y = (q, i, k) => (name === 'underline' ? q[i] : (q[i] + q[k]) / 2); // the foot of the words, or their middle
      this.line.setAttribute('d', (this.body?.quadPoints ?? []).map((q) => `M${name === 'underline' ? q[6] : (q[0] + q[6]) / 2} ${y(q, 7, 1)}L${name === 'underline' ? q[4] : (q[2] + q[4]) / 2} ${y(q, 5, 3)}`).join(''));
    },
    up() {
      this.line.remove();
      if (!this.body) { toast('There are no words here. Draw a line with Shapes instead.'); return; }
      add(kind, this.from.sheet.number, { color: settings[name].color, quadPoints: this.body.quadPoints, ...(this.body.text ? { text: this.body.text } : {}), ...(name === 'underline' ? signed(meaning(name)) : {}) });
    },
    cancel() { this.line?.remove(); },
  };
}
instruments.underline = overWords('underline', 'underline');
instruments.crossout = overWords('crossout', 'strikeout');

// shape draws lines, arrows, boxes and ellipses; with Shift lines run at steps
// of 15 degrees, and boxes and ellipses are as wide as they are high.
instruments.shape = {
  draws: true,
  down(p) {
    this.from = p;
    this.ghost = node('path', { fill: 'none', stroke: settings.shape.color, 'stroke-width': settings.shape.width, 'stroke-linecap': 'round' });
    p.sheet.marks.append(this.ghost);
    this.to = p;
  },
  move(p, e) {
    this.to = e.shiftKey ? held(this.from, p) : p;
    const { x, y } = this.from, q = this.to;
    const [l, t, r, b] = [Math.min(x, q.x), Math.min(y, q.y), Math.max(x, q.x), Math.max(y, q.y)];
    this.ghost.setAttribute('d', { circle: `M${l} ${(t + b) / 2}A${(r - l) / 2} ${(b - t) / 2} 0 1 1 ${r} ${(t + b) / 2}A${(r - l) / 2} ${(b - t) / 2} 0 1 1 ${l} ${(t + b) / 2}`, square: `M${l} ${t}H${r}V${b}H${l}Z` }[settings.shape.kind] ?? `M${x} ${y}L${q.x} ${q.y}`);
  },
  up(p, e, moved) {
    this.ghost.remove();
    const { kind, color, width, opacity } = settings.shape, a = this.from, b = this.to;
    if (!moved || Math.hypot(a.x - b.x, a.y - b.y) < 4) return;
    const look = { color, width, opacity };
    if (kind === 'circle' || kind === 'square') {
      const rect = [Math.min(a.x, b.x), Math.min(a.y, b.y), Math.max(a.x, b.x), Math.max(a.y, b.y)].map(round);
      if (rect[2] - rect[0] >= 2 && rect[3] - rect[1] >= 2) add(kind, a.sheet.number, { ...look, rect, ...signed(meaning('shape')) });
    } else add('line', a.sheet.number, { ...look, l: [a.x, a.y, b.x, b.y].map(round), lineEnding: ['', kind === 'arrow' ? 'OpenArrow' : ''] });
  },
  cancel() { this.ghost?.remove(); },
};

function held(a, p) {
  const dx = p.x - a.x, dy = p.y - a.y;
  if (settings.shape.kind === 'circle' || settings.shape.kind === 'square') {
    const side = Math.max(Math.abs(dx), Math.abs(dy));
    return { ...p, x: a.x + Math.sign(dx || 1) * side, y: a.y + Math.sign(dy || 1) * side };
  }
  const step = Math.PI / 12, angle = Math.round(Math.atan2(dy, dx) / step) * step, long = Math.hypot(dx, dy);
  return { ...p, x: a.x + long * Math.cos(angle), y: a.y + long * Math.sin(angle) };
}

function box(a, b) {
  const [l, r] = [Math.min(a.x, b.x), Math.max(a.x, b.x)].map(round), [t, f] = [Math.min(a.y, b.y), Math.max(a.y, b.y)].map(round);
  if (r - l < 2 || f - t < 2) return null;
  return { quadPoints: [[l, t, r, t, r, f, l, f]] };
}
const outline = (q) => `M${q[0]} ${q[1]}L${q[2]} ${q[3]}L${q[4]} ${q[5]}L${q[6]} ${q[7]}Z`;

instruments.stamp = {
  tap(p) {
    const s = 9, { name, color } = settings.stamp;
    add('stamp', p.sheet.number, { name, color, rect: [p.x - s, p.y - s, p.x + s, p.y + s].map(round) });
  },
};

// picture lays one of the sheet's pictures where the page is pressed.
instruments.picture = {
  tap(p) {
    const of = marks.view.shelf?.find((s) => s.hash === settings.picture) ?? marks.view.shelf?.[0];
    if (!of) return;
    const w = Math.min(p.sheet.w / 3, of.w * 0.75), h = (w * of.h) / of.w, x = Math.min(Math.max(p.x - w / 2, 0), p.sheet.w - w), y = Math.min(Math.max(p.y - h / 2, 0), Math.max(p.sheet.h - h, 0));
    add('picture', p.sheet.number, { hash: of.hash, name: of.name, rect: [x, y, x + w, y + h].map(round) });
  },
};

instruments.eraser = {
  draws: true,
  down(p) { this.doomed = new Set(); this.touch(p); },
  move(_, __, all) { for (const p of all) this.touch(p); },
  touch(p) {
    const version = core.hit(marks.view.edit, p.sheet.number, p, 6 / pixels() + 2);
    const entry = marks.shown.get(version);
    if (!entry || this.doomed.has(entry) || entry.mark.kind === 'note' || !mayChange(entry)) return;
    this.doomed.add(entry);
    for (const g of entry.groups) g.classList.add('doomed');
  },
  up() { if (this.doomed.size) together(() => { for (const e of this.doomed) set(e.mark.id, null, { before: e.mark }); }); },
  cancel() { for (const e of this.doomed ?? []) for (const g of e.groups) g.classList.remove('doomed'); },
};
