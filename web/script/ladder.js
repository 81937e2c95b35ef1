// ladder has a rung for each page, with how many marks and notes are on it.

import { el } from './paint.js';
import { goTo, surface } from './surface.js';
import { marks } from './marks.js';

const box = document.querySelector('[data-ladder]'), at = document.querySelector('[data-at]');

export function build() {
  box?.replaceChildren(...surface.sheets.map((s) => el('div', { className: 'step-of' }, el('button', { className: 'rung', data: { rung: s.number }, 'aria-label': `Page ${s.number}`, on: { click: () => goTo(s.number) } }, String(s.number)))));
}

export function current(s) {
  at.textContent = `Page ${s.number} of ${surface.sheets.length}`;
  for (const r of box?.querySelectorAll('.rung') ?? []) r.setAttribute('aria-current', String(+r.dataset.rung === s.number));
}

export function count() {
  for (const r of box?.querySelectorAll('.rung') ?? []) {
    const n = [...marks.shown.values()].filter((e) => e.mark.page === +r.dataset.rung && e.mark.kind !== 'reply').length;
    r.nextElementSibling?.remove();
    r.setAttribute('aria-label', `Page ${r.dataset.rung}${n ? `, ${n} ${n === 1 ? 'mark' : 'marks'}` : ''}`);
    if (n) r.after(el('span', { className: 'sign', 'aria-hidden': 'true' }, String(n)));
  }
}
