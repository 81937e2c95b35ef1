// strip lies above the screen's keyboard while one writes by touch: back and on
// from place to place, which of how many this is, and an end to it. It keeps
// the place in hand in what the keyboard leaves free.

import { el, icon } from './paint.js';
import { surface } from './surface.js';

const GAP = 12; // CSS pixels kept free about the place in hand
let strip = null,
  held = /** @type {HTMLElement | null} */ (null),
  touched = false;

document.addEventListener(
  'pointerdown',
  (e) => {
    touched = e.pointerType === 'touch';
  },
  true,
);

/**
 * show lays the strip there for the place in hand; a mouse or a pencil has none.
 * @param {HTMLElement} box what is written in
 * @param {{ at: number, of: number, go: (back: boolean) => void, end: () => void }} way
 *   at counts from 1, 0 where one writes in no place
 */
export function show(box, { at, of, go, end }) {
  hide();
  held = box;
  if (!touched) return;
  const button = (name, sign, run, off) =>
    el(
      'button',
      {
        className: 'button quiet',
        'aria-label': name,
        disabled: off,
        on: { mousedown: (e) => e.preventDefault(), click: run }, // the focus, and with it the keyboard, stays
      },
      sign,
    );
  strip = el(
    'div',
    { className: 'strip', role: 'toolbar', 'aria-label': 'From place to place' },
    button('Back to the place before', icon('left'), () => go(true), at < 2),
    el('span', {}, at ? `${at} of ${of}` : ''),
    button('On to the next place', icon('right'), () => go(false), at === of),
    button('Done', 'Done', end, false),
  );
  document.querySelector('[data-screen]').append(strip);
  follow();
}

export function hide() {
  strip?.remove();
  strip = held = null;
}

// lying gives how high the rule is where it lies along the lower edge.
function lying() {
  const r = document.querySelector('[data-spine]').getBoundingClientRect();
  return r.width > r.height ? window.innerHeight - r.top : 0;
}

// follow keeps the strip on the keyboard and the place above the strip.
function follow() {
  if (!held) return;
  const seen = window.visualViewport,
    foot = seen.offsetTop + seen.height;
  if (strip) strip.style.bottom = `${Math.max(window.innerHeight - foot, lying())}px`;
  const desk = surface.desk.getBoundingClientRect(),
    end = Math.min(strip ? strip.getBoundingClientRect().top : foot, desk.bottom) - GAP,
    top = Math.max(desk.top, seen.offsetTop) + GAP,
    r = held.getBoundingClientRect();
  if (r.bottom > end) surface.desk.scrollTop += Math.min(r.bottom - end, r.top - top);
}
window.visualViewport.addEventListener('resize', follow);
window.addEventListener('resize', follow);
