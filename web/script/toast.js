// toast says one thing at the foot of the screen.

import { el } from './paint.js';
import { settings } from './settings.js';

const LEAST = 6000, // milliseconds that it stays
  LETTER = 90; // and for each letter, for who reads slowly

// toast goes after a while, but not while somebody points at it or is in it, and not by
// itself where it stays, or where who reads wants to close all of them. What can be done
// about what it says is a button in it: [words, run].
export function toast(text, { stays = false, act = null } = {}) {
  document.querySelector('.toast')?.remove();
  const t = el('div', { className: 'toast', role: stays ? 'alert' : 'status' }, text);
  const button = (words, run) =>
    el(
      'button',
      {
        className: 'button',
        on: {
          click: () => {
            t.remove();
            run();
          },
        },
      },
      words,
    );
  if (act) t.append(button(...act));
  if (settings.messagesStay && !stays) t.append(button('Close', () => {}));
  document.body.append(t);
  if (stays || settings.messagesStay) return;
  let timer = 0;
  const wait = () => {
    clearTimeout(timer);
    timer = setTimeout(() => t.remove(), Math.max(act ? 2 * LEAST : LEAST, LETTER * text.length));
  };
  for (const e of ['pointerenter', 'focusin']) t.addEventListener(e, () => clearTimeout(timer));
  for (const e of ['pointerleave', 'focusout']) t.addEventListener(e, wait);
  wait();
}
