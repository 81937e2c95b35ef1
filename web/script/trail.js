// trail is what is shown while somebody speaks, as a list of steps by the clock of the
// sound (core/trail): where they point, what they draw, what they look at. It is noted
// here, and painted over the pages again.

import { el, node } from './paint.js';
import { hold, instruments } from './pointer.js';
import { at, middle, round, sheetOf, surface } from './surface.js';
import { pen } from './settings.js';

const POINTS = 40, // milliseconds between two places of the pointer
  VIEWS = 120; // between two looks

/**
 * note begins to note what is shown. Clock gives the milliseconds of the sound, or null
 * while nothing is recorded.
 * @param {() => number | null} clock
 */
export function note(clock) {
  const steps = [],
    paints = painter();
  let pointed = -Infinity,
    looked = '',
    lookedAt = -Infinity;
  const add = (step) => {
    const t = clock();
    if (t === null) return;
    steps.push({ t: Math.round(t), ...step });
    paints.step(steps.at(-1));
  };
  const look = () => {
    const v = middle(),
      now = JSON.stringify(v),
      t = clock();
    if (!v || now === looked || t === null || t - lookedAt < VIEWS) return;
    looked = now;
    lookedAt = t;
    steps.push({ t: Math.round(t), v });
  };
  const point = (e) => {
    const p = at(e),
      t = clock();
    if (!p || t === null || t - pointed < POINTS) return;
    pointed = t;
    add({ p: { n: p.sheet.number, x: round(p.x), y: round(p.y) } });
  };
  const away = (e) => {
    const p = at(e) ?? { sheet: surface.sheets[0], x: 0, y: 0 };
    if (e.pointerType !== 'mouse' || !surface.desk.contains(e.relatedTarget))
      add({ p: { n: p.sheet.number, x: round(p.x), y: round(p.y), off: true } });
  };
  instruments.show = {
    draws: true,
    down(p) {
      const { color, width } = pen();
      add({ b: { n: p.sheet.number, c: color, w: width } });
      add({ d: [round(p.x), round(p.y)] });
    },
    move: (_, __, all) => add({ d: all.flatMap((p) => [round(p.x), round(p.y)]) }),
    up() {},
    cancel() {},
  };
  hold('show');
  surface.desk.addEventListener('pointermove', point);
  surface.desk.addEventListener('pointerleave', away);
  const timer = setInterval(look, VIEWS);
  return {
    steps,
    stop() {
      clearInterval(timer);
      hold('');
      surface.desk.removeEventListener('pointermove', point);
      surface.desk.removeEventListener('pointerleave', away);
      paints.clear();
    },
  };
}

// painter paints steps over the pages: a pointer, and strokes that grow.
export function painter() {
  const dot = el('div', { className: 'pointing', hidden: true, 'aria-hidden': 'true' });
  let strokes = [],
    path = null,
    d = '';
  return {
    dot,
    step(s) {
      if (s.p) this.point(s.p);
      else if (s.b) {
        path = node('path', {
          class: 'shown-stroke',
          fill: 'none',
          stroke: s.b.c,
          'stroke-width': s.b.w,
          'stroke-linecap': 'round',
          'stroke-linejoin': 'round',
        });
        d = '';
        strokes.push(path);
        sheetOf(s.b.n)?.over.append(path);
      } else if (s.d && path) {
        for (let i = 0; i < s.d.length; i += 2) d += `${d ? 'L' : 'M'}${s.d[i]} ${s.d[i + 1]}`;
        path.setAttribute('d', d);
      }
    },
    point({ n, x, y, off }) {
      const s = sheetOf(n);
      dot.hidden = !!off || !s;
      if (dot.hidden) return;
      if (dot.parentNode !== s.box) s.box.append(dot);
      dot.style.left = `${(100 * x) / s.w}%`;
      dot.style.top = `${(100 * y) / s.h}%`;
    },
    clear() {
      for (const p of strokes) p.remove();
      strokes = [];
      path = null;
      dot.remove();
    },
  };
}

// strokesOf gives what was drawn: its page, look and points.
export function strokesOf(steps) {
  const out = [];
  for (const s of steps) {
    if (s.b) out.push({ page: s.b.n, color: s.b.c, width: s.b.w, points: [] });
    else if (s.d) out.at(-1)?.points.push(...s.d);
  }
  return out.filter((s) => s.points.length > 2);
}
