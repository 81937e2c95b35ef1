// pen has the pen. It comes with the page, before the marks and the core are
// there: script paints the live line; what the gesture means is the core's, and
// lines drawn before it has come wait for it.

import { el } from './paint.js';
import { instruments, pressure } from './pointer.js';
import { pen } from './settings.js';
import { pixels, surface } from './surface.js';

// The live line is drawn on a canvas over what is seen of the page: a new piece
// costs the same however long the line and whatever lies beneath. The canvas
// carries the strength, so that a transparent line does not darken where it
// crosses itself.
function easel(sheet, { color, width, opacity, wash }) {
  const page = sheet.box.getBoundingClientRect(),
    desk = surface.desk.getBoundingClientRect();
  const left = Math.max(page.left, desk.left),
    top = Math.max(page.top, desk.top);
  const w = Math.min(page.right, desk.right) - left,
    h = Math.min(page.bottom, desk.bottom) - top;
  const dense = Math.min(window.devicePixelRatio || 1, 2),
    scale = pixels() * dense;
  const canvas = el('canvas', {
    className: `live ${wash ? 'wash' : ''}`,
    width: Math.ceil(w * dense),
    height: Math.ceil(h * dense),
  });
  Object.assign(canvas.style, {
    left: `${left - page.left}px`,
    top: `${top - page.top}px`,
    width: `${w}px`,
    height: `${h}px`,
    opacity,
  });
  const pencil = canvas.getContext('2d');
  pencil.setTransform(scale, 0, 0, scale, (page.left - left) * dense, (page.top - top) * dense);
  Object.assign(pencil, { lineCap: 'round', lineJoin: 'round', strokeStyle: color, lineWidth: width });
  sheet.box.append(canvas);
  return { canvas, pencil };
}

instruments.pen = {
  draws: true,
  down(p, e, of = pen()) {
    const { name: _, ...style } = of;
    this.style = style;
    this.sheet = p.sheet;
    this.samples = [p.x, p.y, pressure(e)];
    Object.assign(this, easel(p.sheet, this.style));
    this.drawn = 0;
    this.draw();
  },
  // draw adds what has come since it was last called.
  draw() {
    const { pencil, samples } = this;
    pencil.beginPath();
    pencil.moveTo(samples[this.drawn], samples[this.drawn + 1]);
    for (let i = this.drawn; i < samples.length; i += 3) pencil.lineTo(samples[i], samples[i + 1]);
    pencil.stroke();
    this.drawn = samples.length - 3;
  },
  move(_, __, all) {
    for (const p of all) this.samples.push(p.x, p.y, p.pressure);
    this.draw();
  },
  up() {
    const { samples, style, sheet, canvas } = this;
    this.draw();
    this.keep({ samples, style, sheet, canvas });
  },
  waiting: [],
  keep(drawn) {
    this.waiting.push(drawn);
  }, // until draw.js takes over
  cancel() {
    this.canvas?.remove();
  },
};
