// draw has what follows words and lines: highlighter, underline, cross-out, and
// what becomes of the lines of pen.js.

import { core } from './core.js';
import { node } from './paint.js';
import { round, words } from './surface.js';
import { add, marks } from './marks.js';
import { instruments } from './pointer.js';
import { toast } from './toast.js';
import { dismiss, fresh } from './neat.js';
import { along } from './aids.js';
import { leading, lookOf } from './rich.js';
import { meaning, settings } from './settings.js';

core.loaded.then(() => {
  const { pen } = instruments;
  pen.keep = ({ samples, style, sheet, canvas }) => {
    const mark = add('ink', sheet.number, { ...style, inkList: [] }, { samples: along(samples, sheet) });
    if (mark) fresh(mark);
    canvas.remove();
  };
  pen.leave = dismiss;
  pen.waiting.splice(0).forEach(pen.keep);
});

let toldOf = false; // that pages without words take boxes: it is said once

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
    tellOfBoxes(p.sheet);
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
    const typed = this.onWords ? null : overTyped(this.from, p);
    if (typed) this.body = typed;
    const body = { color: this.color, quadPoints: this.body.quadPoints };
    if (this.body.text) body.text = this.body.text;
    Object.assign(body, signed(this.meaning));
    add('highlight', this.from.sheet.number, body);
  },
  cancel() {
    this.wash?.remove();
  },
};

// overTyped fits a wash to one's own typed text that it was drawn across.
function overTyped(a, b) {
  const e = [...marks.shown.values()].find(
    (x) =>
      x.mark.kind === 'freetext' &&
      x.mark.page === a.sheet.number &&
      !x.mark.body.turn &&
      inside(core.bounds(x.version), a) &&
      inside(core.bounds(x.version), b),
  );
  if (!e) return null;
  const t = core.bounds(e.version),
    step = leading(lookOf(e.mark.body));
  const rows = e.mark.body.lines.map((_, i) => [t[1] + i * step, t[1] + i * step + step * 0.97]);
  const from = rows.findIndex(([, foot]) => Math.min(a.y, b.y) <= foot),
    to = rows.findIndex(([, foot]) => Math.max(a.y, b.y) <= foot);
  const [first, last] = a.y <= b.y ? [a, b] : [b, a];
  const quads = rows.slice(from, to + 1).map(([top, foot], i, all) => {
    const l = i === 0 ? Math.min(first.x, all.length === 1 ? last.x : first.x) : t[0],
      r = i === all.length - 1 ? Math.max(last.x, all.length === 1 ? first.x : last.x) : t[2];
    return [l, top, r, top, r, foot, l, foot].map(round);
  });
  return quads.length ? { quadPoints: quads } : null;
}
const inside = (r, p) => r && p.x >= r[0] - 2 && p.x <= r[2] + 2 && p.y >= r[1] - 2 && p.y <= r[3] + 2;

export const signed = (m) => (m ? { meaning: m.name, sign: m.sign } : {});

function tellOfBoxes(sheet) {
  if (!sheet.wordless || toldOf) return;
  toldOf = true;
  toast('This page is a picture without words, so highlights and lines go where you draw them here.');
}

// underline and cross-out follow the words, as the highlighter does on print;
// on a page that is a picture they go along the foot, or through the middle, of
// the box that was drawn.
function overWords(name, kind) {
  return {
    draws: true,
    down(p) {
      this.from = p;
      this.line = node('path', { fill: 'none', stroke: settings[name].color, 'stroke-width': 1.2 });
      p.sheet.marks.append(this.line);
      this.body = null;
      tellOfBoxes(p.sheet);
      words(p.sheet).then(() => {
        if (this.from === p && !this.body) this.move(p);
      });
    },
    move(p) {
      this.body = this.from.sheet.wordless
        ? box(this.from, p)
        : core.run(this.from.sheet.number, this.from, p, settings.highlighter.letters);
      const y = (q, i, k) => (name === 'underline' ? q[i] : (q[i] + q[k]) / 2); // the foot of the words, or their middle
      this.line.setAttribute(
        'd',
        (this.body?.quadPoints ?? [])
          .map(
            (q) =>
              `M${name === 'underline' ? q[6] : (q[0] + q[6]) / 2} ${y(q, 7, 1)}L${name === 'underline' ? q[4] : (q[2] + q[4]) / 2} ${y(q, 5, 3)}`,
          )
          .join(''),
      );
    },
    up() {
      this.line.remove();
      if (!this.body) {
        toast('There are no words here. Draw a line with Shapes instead.');
        return;
      }
      add(kind, this.from.sheet.number, {
        color: settings[name].color,
        quadPoints: this.body.quadPoints,
        ...(this.body.text ? { text: this.body.text } : {}),
        ...(name === 'underline' ? signed(meaning(name)) : {}),
      });
    },
    cancel() {
      this.line?.remove();
    },
  };
}
instruments.underline = overWords('underline', 'underline');
instruments.crossout = overWords('crossout', 'strikeout');

function box(a, b) {
  const [l, r] = [Math.min(a.x, b.x), Math.max(a.x, b.x)].map(round),
    [t, f] = [Math.min(a.y, b.y), Math.max(a.y, b.y)].map(round);
  if (r - l < 2 || f - t < 2) return null;
  return { quadPoints: [[l, t, r, t, r, f, l, f]] };
}
const outline = (q) => `M${q[0]} ${q[1]}L${q[2]} ${q[3]}L${q[4]} ${q[5]}L${q[6]} ${q[7]}Z`;
