// seen shows a page with marks on it, as somebody else will see it, or as it
// once stood.

import { el, layer, paint } from './paint.js';
import { pictureAt } from './surface.js';

// seen gives a picture of a page so many CSS pixels wide, with its marks.
export function seen(s, width, marks) {
  const page = el('div', { className: 'sheet' }),
    of = { washes: layer('washes', s), marks: layer('marks', s) };
  Object.assign(page.style, { width: `${width}px`, height: `${(width * s.h) / s.w}px` });
  if (!s.added) page.append(el('img', { src: pictureAt(s.number, 150), alt: `Page ${s.number}` }));
  page.append(of.washes, of.marks);
  for (const e of marks) paint(of, { ...e, groups: [] });
  return page;
}
