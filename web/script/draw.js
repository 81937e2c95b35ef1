// draw has the instruments that draw and need the core at once: highlighter,
// stamp, eraser; and what becomes of the lines of pen.js.

import { core } from './core.js';
import { node } from './paint.js';
import { words, pixels } from './surface.js';
import { add, marks, mayChange, set, together } from './marks.js';
import { instruments } from './pointer.js';
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
    this.meaning = meaning();
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
    if (this.meaning) Object.assign(body, { meaning: this.meaning.name, sign: this.meaning.sign });
    add('highlight', this.from.sheet.number, body);
  },
  cancel() { this.wash?.remove(); },
};

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
