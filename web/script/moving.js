// moving has the hand that moves the page; Space lends it for a moment.

import { instruments, lend } from './pointer.js';
import { surface } from './surface.js';

const desk = surface.desk;

instruments.move = {
  down(p, e) {
    Object.assign(this, { x: e.clientX, y: e.clientY });
    return true;
  },
  move(p, e) {
    desk.scrollLeft -= e.clientX - this.x;
    desk.scrollTop -= e.clientY - this.y;
    this.down(p, e);
  },
};

const writes = (e) => e.target.closest?.('input, textarea, select, button, a, [contenteditable="true"]');
document.addEventListener('keydown', (e) => {
  if (e.key !== ' ' || writes(e) || document.querySelector('dialog[open]')) return;
  e.preventDefault();
  lend('move');
});
// A button of the head or the rule that was pressed by a pointer does not keep
// the focus: Space moves the page then, and does not press it again.
document.addEventListener('click', (e) => {
  const b = /** @type {HTMLElement} */ (e.target).closest?.('.head button, .spine button');
  if (b && e.detail > 0 && document.activeElement === b) desk.focus({ preventScroll: true });
});
document.addEventListener('keyup', (e) => {
  if (e.key === ' ') lend('');
});
window.addEventListener('blur', () => lend(''));
