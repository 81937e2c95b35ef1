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
document.addEventListener('keyup', (e) => {
  if (e.key === ' ') lend('');
});
window.addEventListener('blur', () => lend(''));
