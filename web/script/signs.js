// signs is a small palette of special signs for typing; those that the sheet
// prints, and those used before, come first.

import { el } from './paint.js';
import { instruments } from './pointer.js';
import { insert, typing } from './type.js';
import { keep, settings } from './settings.js';
import { surface } from './surface.js';

const SIGNS = [...'↑↓→←↔°′″×÷±≈≠≤≥√²³½¼¾·∞∠⊥∥△αβγδεθλμπρσφωΔΣΩ€£§•–…¿¡äöüßéèçñåøæ'];
const plain = /[\p{Script=Latin}\p{N}\s.,;:!?()'"_/=+\-*%&@#<>[\]{}|\\~`^$]/u;

// printed gives the special signs of the sheet's own words.
function printed() {
  const count = new Map();
  for (const s of surface.sheets)
    for (const ch of s.print?.textContent ?? '') if (!plain.test(ch)) count.set(ch, (count.get(ch) ?? 0) + 1);
  return [...count]
    .sort((a, b) => b[1] - a[1])
    .map(([ch]) => ch)
    .slice(0, 12);
}

export function palette() {
  const first = [...new Set([...(settings.signs ?? []), ...printed()])].slice(0, 16),
    rest = SIGNS.filter((s) => !first.includes(s));
  const button = (s) =>
    el(
      'button',
      {
        className: 'sign-key',
        'aria-label': `Type ${s}`,
        on: { pointerdown: (e) => e.preventDefault(), click: () => take(s) },
      },
      s,
    );
  return [
    first.length ? el('div', { className: 'sign-keys' }, ...first.map(button)) : null,
    el('div', { className: 'sign-keys' }, ...rest.map(button)),
    el('p', { className: 'hint' }, 'Press the page where you want to type, then a sign.'),
  ].filter(Boolean);
}

function take(s) {
  if (!typing()) return;
  insert(s);
  settings.signs = [s, ...(settings.signs ?? []).filter((x) => x !== s)].slice(0, 8);
  keep();
}

instruments.signs = { tap: (p) => instruments.type.tap(p), leave: () => instruments.type.leave() };
