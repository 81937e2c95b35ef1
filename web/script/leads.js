// leads has what leads through a long file: its own contents list, and its
// links from page to page, which can be pressed while nothing is drawn.

import { el } from './paint.js';
import { goTo, sheetOf, surface } from './surface.js';
import { guided } from './blanks.js';

// heads gives the entries of the contents list, by page.
export const heads = () => guided().flatMap((g, i) => (g.heads ?? []).map((h) => ({ ...h, page: i + 1 })));

// show lays the links over the pages.
export function show() {
  document.querySelector('[data-do="contents"]').hidden = !heads().length;
  for (const old of surface.desk.querySelectorAll('.leads-to')) old.remove();
  guided().forEach((g, i) => {
    const s = sheetOf(i + 1);
    for (const l of (s && g.links) || []) {
      const [x, y, r, b] = l.r,
        lead = el('button', {
          className: 'leads-to',
          title: `To page ${l.p}`,
          'aria-label': `To page ${l.p}`,
          on: { click: () => goTo(l.p, l.y) },
        });
      Object.assign(lead.style, {
        left: `${(100 * x) / s.w}%`,
        top: `${(100 * y) / s.h}%`,
        width: `${(100 * (r - x)) / s.w}%`,
        height: `${(100 * (b - y)) / s.h}%`,
      });
      s.box.append(lead);
    }
  });
}
