// pagenav has a rung for each page, with how many marks and notes are on it. It
// opens into small pictures of the pages that show the marks.

import { el, icon, layer, paint } from './paint.js';
import { fit, goTo, surface } from './surface.js';
import { marks } from './marks.js';

const box = document.querySelector('[data-pagenav]'),
  at = document.querySelector('[data-at]'),
  of = document.querySelector('[data-of]'),
  screen = document.querySelector('[data-screen]');
let open = false,
  timer = 0;

export function build() {
  if (!box) return;
  const toggle = el(
    'button',
    {
      className: 'opens',
      'aria-expanded': String(open),
      'aria-label': 'Pictures of the pages',
      title: 'Pictures of the pages',
      on: {
        click: () => {
          open = !open;
          screen.classList.toggle('with-pages', open);
          build();
          count();
          fit(surface.fit ?? 'width');
        },
      },
    },
    icon(open ? 'cross' : 'pages'),
  );
  box.replaceChildren(
    toggle,
    ...surface.sheets.map((s) =>
      el(
        'div',
        { className: 'step-of' },
        open ? picture(s) : null,
        el(
          'button',
          {
            className: 'rung',
            data: { rung: s.number },
            'aria-label': `Page ${s.called ?? s.number}`,
            on: { click: () => goTo(s.number) },
          },
          el('b', {}, String(s.called ?? s.number)),
        ),
      ),
    ),
  );
}

function picture(s) {
  const small = el(
    'span',
    { className: 'small', 'aria-hidden': 'true' },
    s.added ? null : el('img', { src: `/sheets/${surface.sheet}/pages/${s.number}/25`, alt: '', loading: 'lazy' }),
  );
  small.style.aspectRatio = `${s.w} / ${s.h}`;
  const of = { washes: layer('washes', s), marks: layer('marks', s) };
  small.append(of.washes, of.marks);
  s.small = of;
  return small;
}

function pictures() {
  for (const s of surface.sheets) {
    if (!s.small) continue;
    s.small.washes.replaceChildren();
    s.small.marks.replaceChildren();
    for (const e of marks.shown.values())
      if (e.mark.page === s.number && e.shapes.length) paint(s.small, { ...e, groups: [] });
  }
}

at.addEventListener('focus', () => at.select());
at.addEventListener('change', () => {
  const s = surface.sheets[Math.min(Math.max(Math.round(+at.value) || 1, 1), surface.sheets.length) - 1];
  at.value = s.called ?? s.number;
  goTo(s.number);
});

let shown = null;
export const now = () => shown;
export function current(s) {
  shown = s;
  if (document.activeElement !== at) at.value = s.called ?? s.number;
  of.textContent = `of ${surface.sheets.length}`;
  for (const r of box?.querySelectorAll('.rung') ?? [])
    r.setAttribute('aria-current', String(+r.dataset.rung === s.number));
  seen.add(s.number);
}
export const seen = new Set(); // pages that were looked at

export function count() {
  const of = new Map();
  for (const e of marks.shown.values())
    if (e.mark.kind !== 'reply' && e.mark.kind !== 'paper') of.set(e.mark.page, (of.get(e.mark.page) ?? 0) + 1);
  for (const r of box?.querySelectorAll('.rung') ?? []) {
    const n = of.get(+r.dataset.rung);
    r.nextElementSibling?.remove();
    r.setAttribute('aria-label', `Page ${r.textContent}${n ? `, ${n} ${n === 1 ? 'mark' : 'marks'}` : ''}`);
    if (n) r.after(el('span', { className: 'sign', 'aria-hidden': 'true' }, String(n)));
  }
  if (open) {
    clearTimeout(timer);
    timer = setTimeout(pictures, 300);
  }
}
