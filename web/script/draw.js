// draw has what follows words and lines: highlighter, underline, cross-out, and
// what becomes of the lines of pen.js.

import { core } from './core.js';
import { node } from './paint.js';
import { round, words } from './surface.js';
import { add, hit, layerNow, marks, mayChange, set, together } from './marks.js';
import { instruments, take } from './pointer.js';
import { pick } from './pick.js';
import { toast } from './toast.js';
import { dismiss, fresh } from './neat.js';
import { along } from './aids.js';
import { leading, lookOf } from './rich.js';
import { meaning, settings } from './settings.js';

core.loaded.then(() => {
  const { pen } = instruments;
  pen.keep = ({ samples, style, sheet, canvas }) => {
    const mark = add('ink', sheet.number, { ...style, inkList: [] }, { samples: along(samples, sheet) });
    if (mark && !style.wash) fresh(mark);
    canvas.remove();
  };
  pen.leave = dismiss;
  pen.waiting.splice(0).forEach(pen.keep);
});

// brush draws the highlighter's broad stroke, for pictures and scans: a pen's
// line that is a wash.
const brush = {
  __proto__: instruments.pen,
  down(p, e) {
    const { color, width } = settings.highlighter,
      m = meaning('highlighter');
    instruments.pen.down.call(this, p, e, { color, width: width ?? 14, opacity: 1, wash: true, ...signed(m) });
  },
};
const byStroke = () => settings.highlighter.stroke;

let toldOf = false; // that pages without words take boxes: it is said once

instruments.highlighter = {
  draws: true,
  down(p, e) {
    this.brush = byStroke() ? brush : null;
    if (this.brush) {
      brush.down(p, e);
      return;
    }
    this.from = p;
    this.wash = node('path', { fill: settings.highlighter.color });
    p.sheet.washes.append(this.wash);
    this.color = settings.highlighter.color;
    this.meaning = meaning('highlighter');
    this.letters = settings.highlighter.letters;
    this.body = null;
    tellOfBoxes(p.sheet);
    words(p.sheet);
    if (core.onWord(p.sheet.number, p)) this.move(p);
  },
  move(p, e, all) {
    if (this.brush) {
      brush.move(p, e, all);
      return;
    }
    this.body =
      core.run(this.from.sheet.number, this.from, p, this.letters) ?? overTyped(this.from, p) ?? box(this.from, p);
    this.wash.setAttribute('d', (this.body?.quadPoints ?? []).map(outline).join(''));
  },
  up(p, e, moved) {
    if (this.brush) {
      brush.up();
      return;
    }
    this.wash.remove();
    if (!this.body || !moved) {
      const there = moved ? null : hit(p, 1);
      if (there?.mark.kind === 'highlight') {
        take('pick');
        pick(there);
      } else if (this.body?.text) this.lay(this.body);
      return;
    }
    this.lay(this.body);
  },
  // lay puts the wash down. With those that it meets on the same words and in
  // the same colour it becomes one; over the very same words its colour is the
  // one that stays.
  lay({ quadPoints, text }) {
    const page = this.from.sheet.number,
      look = { color: this.color, ...signed(this.meaning) },
      like = (e) => e.mark.body.color === look.color && e.mark.body.meaning === look.meaning,
      met = text ? washes(page).filter((e) => overlap(e.mark.body.quadPoints, quadPoints)) : [],
      same = met.filter((e) => like(e) || e.mark.body.text === text);
    if (!same.length) {
      add('highlight', page, { quadPoints, ...(text ? { text } : {}), ...look });
      return;
    }
    const all = [{ quadPoints, text }, ...same.filter(like).map((e) => e.mark.body)],
      ways = all.flatMap((a) => all.map((b) => core.run(page, head(a.quadPoints), tail(b.quadPoints), this.letters))),
      whole = ways.filter(Boolean).reduce((a, b) => (b.text.length > a.text.length ? b : a), { quadPoints, text });
    together(() => {
      const [first, ...rest] = same;
      const { id, ...mark } = first.mark;
      set(id, { ...mark, id, body: { ...whole, ...look } });
      for (const e of rest) set(e.mark.id, null);
    });
  },
  cancel() {
    if (this.brush) brush.cancel();
    this.wash?.remove();
  },
};

// washes gives one's own highlights of printed words on a page.
const washes = (page) =>
  [...marks.shown.values()].filter(
    (e) =>
      e.mark.kind === 'highlight' &&
      e.mark.page === page &&
      e.mark.body.text &&
      e.layer === layerNow() &&
      mayChange(e) &&
      !e.conflict,
  );
const overlap = (a, b) =>
  a.some((q) =>
    b.some((r) => Math.min(q[2], r[2]) - Math.max(q[0], r[0]) > 1 && Math.min(q[5], r[5]) - Math.max(q[1], r[1]) > 1),
  );
const head = ([q]) => ({ x: q[0] + 1, y: (q[1] + q[7]) / 2 });
const tail = (qs) => ({ x: qs.at(-1)[2] - 1, y: (qs.at(-1)[3] + qs.at(-1)[5]) / 2 });

// overTyped fits a wash or a line to typed text that it was drawn across, one's
// own or, while marking, the student's.
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
      this.body =
        overTyped(this.from, p) ??
        (this.from.sheet.wordless
          ? box(this.from, p)
          : core.run(this.from.sheet.number, this.from, p, settings.highlighter.letters));
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
        ...signed(meaning(name)),
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
