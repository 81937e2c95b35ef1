// personal fills in what a sheet asks of the person who writes and not of the
// lesson: name, class, date. One press fills in all of them that are empty.

import { add, marks, together } from './marks.js';
import { choose, filledIn } from './fill.js';
import { personal } from './blanks.js';
import { again } from './rich.js';
import { settings } from './settings.js';
import { sheetOf } from './surface.js';

// valueOf gives what belongs into such a place.
export function valueOf(b) {
  const { me, section, course, zone } = marks.view;
  return {
    name: me,
    class: section || course,
    date: new Date().toLocaleDateString(undefined, { timeZone: zone }),
  }[b.h];
}

const isEmpty = (b) =>
  b.f
    ? !filledIn(b)
    : ![...marks.shown.values()].some((e) => e.layer === 'work' && e.mark.page === b.page && e.mark.blank === b.i);

// fillIn fills all of them that are empty, as one step.
export function fillIn() {
  together(() => {
    for (const b of personal().filter(isEmpty)) {
      const value = valueOf(b);
      if (b.f) choose(b, [value]);
      else {
        const { color, font } = settings.type,
          line = { runs: [{ text: value, size: b.s, color, ...(font ? { font } : {}) }], hard: true };
        add('freetext', b.page, again(sheetOf(b.page), { x: b.r[0] + 3, y: b.y, width: 0, lines: [line] }, {}), {
          blank: b.i,
        });
      }
    }
  });
}
