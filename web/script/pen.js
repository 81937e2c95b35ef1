// pen has the pen. It comes with the page, before the marks and the core are
// there: script paints the live line; what the gesture means is the core's, and
// lines drawn before it has come wait for it.

import { node } from './paint.js';
import { instruments, pressure } from './pointer.js';
import { pen } from './settings.js';

const round = (v) => Math.round(v * 100) / 100;

// The live line is a chain of short paths, so that a long stroke costs no more
// to paint than a short one; the group carries the strength, so that the
// joints of a transparent line do not show.
const CHAIN = 40;

instruments.pen = {
  draws: true,
  down(p, e) {
    const { color, width, opacity } = pen();
    this.style = { color, width, opacity };
    this.sheet = p.sheet;
    this.samples = [p.x, p.y, pressure(e)];
    this.line = node('g', { fill: 'none', stroke: color, 'stroke-width': width, opacity, 'stroke-linecap': 'round', 'stroke-linejoin': 'round' });
    this.begin(`M${round(p.x)} ${round(p.y)}l0 0`);
    p.sheet.over.append(this.line);
  },
  begin(d) { this.d = d; this.long = 0; this.path = node('path', { d }); this.line.append(this.path); },
  move(_, __, all) {
    for (const p of all) {
      this.samples.push(p.x, p.y, p.pressure);
      this.d += `L${round(p.x)} ${round(p.y)}`;
      if (++this.long === CHAIN) { this.path.setAttribute('d', this.d); this.begin(`M${round(p.x)} ${round(p.y)}`); }
    }
    this.frame ??= requestAnimationFrame(() => { this.frame = null; this.path.setAttribute('d', this.d); }); // once a frame, however fast the pencil reports
  },
  up() {
    const { samples, style, sheet, line } = this;
    this.path.setAttribute('d', this.d);
    this.keep({ samples, style, sheet, line });
  },
  waiting: [],
  keep(drawn) { this.waiting.push(drawn); }, // until draw.js takes over
  cancel() { this.line?.remove(); },
};
