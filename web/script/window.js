// window is the reading window: all of the sheet but a few lines is dimmed, for those
// whose eyes lose the line. It follows the pointer, the keyboard, and the line that is
// being typed.

import { surface } from './surface.js';
import { settings } from './settings.js';

const desk = surface.desk,
  words = document.querySelector('[data-inwords]');
const at = (y) => {
  if (settings.ruler) desk.parentElement.style.setProperty('--reading', `${Math.round(y)}px`);
};
const top = () => desk.getBoundingClientRect().top;
for (const e of ['pointermove', 'pointerdown'])
  for (const part of [desk, words])
    part.addEventListener(e, (/** @type {PointerEvent} */ p) => at(p.clientY - top()), { passive: true });

// caret gives where one types, or what has the focus.
function caret() {
  const active = /** @type {HTMLElement} */ (document.activeElement);
  if (!desk.contains(active) && !words.contains(active)) return null;
  const s = getSelection(),
    typed = active.isContentEditable && s.rangeCount ? s.getRangeAt(0).getClientRects()[0] : null;
  if (typed) return typed;
  if (active === desk || active === words) return null;
  const r = active.getBoundingClientRect();
  if (!active.matches('textarea')) return r;
  const area = /** @type {HTMLTextAreaElement} */ (active),
    step = parseFloat(getComputedStyle(area).lineHeight) || 24,
    line = area.value.slice(0, area.selectionEnd ?? 0).split('\n').length - 1;
  return { top: Math.min(r.top + line * step - area.scrollTop, r.bottom - step), height: step };
}
const follow = () => {
  if (!settings.ruler) return;
  const r = caret();
  if (r) at(r.top + r.height / 2 - top());
};
for (const e of ['focusin', 'input', 'keyup']) document.addEventListener(e, () => requestAnimationFrame(follow));
