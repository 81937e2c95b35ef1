// toast says one thing at the foot of the screen.

import { el } from './paint.js';

// toast goes after a while, unless it stays.
export function toast(text, { stays = false } = {}) {
  document.querySelector('.toast')?.remove();
  const t = el('div', { className: 'toast', role: stays ? 'alert' : 'status' }, text);
  document.body.append(t);
  if (!stays) setTimeout(() => t.remove(), 6000);
}
