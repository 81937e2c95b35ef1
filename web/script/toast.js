// toast says one thing at the foot of the screen.

import { el } from './paint.js';

// toast goes after a while, unless it stays. What can be done about what it
// says is a button in it: [words, run].
export function toast(text, { stays = false, act = null } = {}) {
  document.querySelector('.toast')?.remove();
  const t = el('div', { className: 'toast', role: stays ? 'alert' : 'status' }, text);
  if (act) {
    const [words, run] = act,
      click = () => {
        t.remove();
        run();
      };
    t.append(el('button', { className: 'button', on: { click } }, words));
  }
  document.body.append(t);
  if (!stays) setTimeout(() => t.remove(), act ? 12000 : 6000);
}
