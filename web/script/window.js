// window is the reading window: all of the sheet but a few lines under the
// pointer is dimmed, for those whose eyes lose the line.

import { surface } from './surface.js';
import { settings } from './settings.js';

const desk = surface.desk;
const follow = (e) => {
  if (!settings.ruler) return;
  const r = desk.getBoundingClientRect();
  desk.parentElement.style.setProperty('--reading', `${Math.round(e.clientY - r.top)}px`);
};
desk.addEventListener('pointermove', follow, { passive: true });
desk.addEventListener('pointerdown', follow, { passive: true });
