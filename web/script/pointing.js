// pointing lets the keyboard do what a pointer does on the page: Enter on the
// desk brings a cross, arrows move it, Enter presses and lets go, Escape ends.

import { node } from './paint.js';
import { current, goTo, surface } from './surface.js';
import { inHand } from './pointer.js';

const desk = surface.desk;
let cross = null; // {sheet, x, y, mark, held, from}

function show() {
  const { mark, x, y, sheet } = cross;
  mark.setAttribute('transform', `translate(${x} ${y})`);
  mark.classList.toggle('held', !!cross.held);
  const r = sheet.box.getBoundingClientRect(),
    d = desk.getBoundingClientRect(),
    k = r.height / sheet.h;
  if (r.top + y * k < d.top + 20 || r.top + y * k > d.bottom - 20) goTo(sheet.number, y);
}

function end() {
  if (cross?.held) inHand()?.cancel?.();
  cross?.mark.remove();
  cross = null;
}

function begin() {
  const sheet = current(),
    r = sheet.box.getBoundingClientRect(),
    d = desk.getBoundingClientRect(),
    k = r.height / sheet.h;
  const y = (Math.max(r.top, d.top) + Math.min(r.bottom, d.bottom)) / 2;
  cross = {
    sheet,
    x: sheet.w / 2,
    y: Math.round((y - r.top) / k),
    mark: node('path', { class: 'pointing', d: 'M-14 0H-4M4 0H14M0 -14V-4M0 4V14' }),
  };
  sheet.box.querySelector('.over').append(cross.mark);
  show();
}

const at = () => ({ sheet: cross.sheet, x: cross.x, y: cross.y, pressure: 0.5 });
const like = (e) => ({
  shiftKey: false,
  ctrlKey: e.ctrlKey,
  altKey: false,
  metaKey: false,
  pointerType: 'mouse',
  pressure: 0.5,
  preventDefault() {},
  detail: 0,
});

function press(e) {
  const tool = inHand(),
    p = at();
  if (!tool) return;
  if (cross.held) {
    const moved = Math.hypot(p.x - cross.from.x, p.y - cross.from.y) > 2.5;
    cross.held = false;
    tool.up?.(p, like(e), moved);
    if (!moved) tool.tap?.(p, like(e));
    show();
    return;
  }
  if (tool.draws || tool.down?.(p, like(e)) === true) {
    if (tool.draws) tool.down?.(p, like(e));
    Object.assign(cross, { held: true, from: p });
    show();
    return;
  }
  tool.tap?.(p, like(e));
  if (document.querySelector('.typing, [data-draft]')) end();
}

desk.addEventListener('keydown', (e) => {
  if (e.target !== desk || e.altKey) return;
  if (e.key === 'Enter') {
    e.preventDefault();
    e.stopPropagation();
    if (cross) press(e);
    else begin();
    return;
  }
  if (!cross) return;
  if (e.key === 'Escape') {
    e.stopPropagation();
    end();
    return;
  }
  const by = e.shiftKey ? 1 : 8,
    d = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[e.key];
  if (!d) return;
  e.preventDefault();
  e.stopPropagation();
  cross.x = Math.min(Math.max(cross.x + d[0], 0), cross.sheet.w);
  cross.y += d[1];
  const all = surface.sheets,
    i = all.indexOf(cross.sheet);
  if (!cross.held && cross.y > cross.sheet.h && all[i + 1]) {
    cross.y = 0;
    cross.sheet = all[i + 1];
    cross.sheet.box.querySelector('.over').append(cross.mark);
  } else if (!cross.held && cross.y < 0 && all[i - 1]) {
    cross.sheet = all[i - 1];
    cross.y = cross.sheet.h;
    cross.sheet.box.querySelector('.over').append(cross.mark);
  }
  cross.y = Math.min(Math.max(cross.y, 0), cross.sheet.h);
  if (cross.held) inHand()?.move?.(at(), like(e), [at()]);
  show();
});
desk.addEventListener('blur', () => {
  if (!document.querySelector('.typing')) end();
});
