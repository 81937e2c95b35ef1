// spine builds the places on the coral rule. Pressing a place takes its
// instrument and opens its popover: the instruments of the place, and how the
// one in hand is set. It goes when work on the page begins, and at once on a
// press anywhere else.

import { el, icon } from './paint.js';
import { hand, take } from './pointer.js';
import { marks } from './marks.js';
import { events, redo, steps as waiting, undo } from './history.js';
import { keep, pen, settings } from './settings.js';
import { picked } from './pick.js';
import { finish, typed } from './type.js';
import { fill } from './popover.js';
import { toast } from './toast.js';
import { tell } from './told.js';

const spine = document.querySelector('[data-spine]'),
  popover = document.querySelector('[data-popover]');

export const NAMES = {
  pick: 'Pick',
  move: 'Move',
  listen: 'Listen',
  type: 'Type',
  signs: 'Signs',
  highlighter: 'Highlighter',
  underline: 'Underline',
  crossout: 'Cross out',
  shape: 'Shapes',
  pen: 'Pen',
  stamp: 'Stamp',
  ruler: 'Ruler',
  note: 'Note',
  voice: 'Voice note',
  eraser: 'Eraser',
  picture: 'Picture',
};
/** @type {[string, string[]][]} */
const ALL = [
  ['pick', ['pick', 'move', 'listen']],
  ['write', ['type', 'signs']],
  ['mark', ['highlighter', 'underline', 'crossout']],
  ['draw', ['pen', 'shape', 'stamp', 'picture', 'ruler']],
  ['say', ['note', 'voice']],
  ['mend', ['eraser']],
];
let places = [];

// offers says whether the assignment offers an instrument; it may leave some
// out, and others that go with them.
const LEAVABLE = {
  'look-up': 'look-up',
  type: 'type',
  signs: 'type',
  highlighter: 'highlighter',
  underline: 'underline',
  crossout: 'crossout',
  pen: 'pen',
  shape: 'shape',
  stamp: 'shape',
  ruler: 'shape',
  picture: 'picture',
};
export const offers = (view, name) =>
  view.watch
    ? ['pick', 'note'].includes(name) // who looks on says something, and does nothing
    : view.teacher || !view.instruments?.length || !LEAVABLE[name] || view.instruments.includes(LEAVABLE[name]);

export function build(view) {
  const offered = ALL.map(([p, i]) => [p, i.filter((n) => offers(view, n))]).filter(([, i]) => i.length);
  places = view.edit ? offered : [['pick', ['pick', 'move', 'listen']]];
  spine.replaceChildren();
  if (view.edit) {
    const step = (name, run) =>
      el(
        'button',
        {
          data: { step: name },
          on: {
            click: () => {
              finish();
              run();
            },
          },
        },
        icon(name),
      );
    spine.append(el('div', { className: 'steps' }, step('undo', undo), step('redo', redo)));
  }
  for (const [place, names] of places) {
    const box = el('div', { className: 'place', data: { place } });
    box.append(
      el('button', { className: 'take', 'aria-expanded': 'false', on: { click: () => press(place) } }),
      el('span', { className: 'name', 'aria-hidden': 'true' }),
      el('i', { className: 'dot' }),
    );
    spine.append(box);
    if (!names.includes(settings.place[place])) settings.place[place] = names[0];
  }
  const wanted = places.flatMap(([, i]) => i).includes(settings.hand) ? settings.hand : places.at(0)[1][0];
  take(wanted);
  steps();
}

export function press(place) {
  const name = settings.place[place];
  if (hand.name === name && shown === place) {
    close();
    return;
  }
  if (hand.name !== name) take(name);
  show(place);
}

// pressDigit takes the n-th place; the same digit again, its next instrument.
export function pressDigit(n) {
  const entry = places[n - 1];
  if (!entry) return;
  const [place, names] = entry;
  if (names.includes(hand.name)) settings.place[place] = names[(names.indexOf(hand.name) + 1) % names.length];
  const stepped = names.includes(hand.name) && names.length > 1;
  close();
  take(settings.place[place]);
  const words = `${NAMES[settings.place[place]]} is in your hand.`;
  if (stepped) toast(words);
  else tell(words);
}

hand.onChange = () => {
  draw();
  keep();
};

function draw() {
  for (const box of spine.querySelectorAll('.place')) {
    const place = box.dataset.place,
      name = settings.place[place];
    box.setAttribute('aria-current', String(name === hand.name));
    const b = box.querySelector('.take'),
      names = places.find(([p]) => p === place)[1];
    b.replaceChildren(icon(name));
    if (names.length > 1)
      b.append(el('i', { className: 'many' }, ...names.map((n) => el('b', { className: n === name ? 'here' : '' }))));
    b.setAttribute('aria-label', NAMES[name]);
    b.setAttribute('aria-pressed', String(name === hand.name));
    b.title = NAMES[name];
    box.querySelector('.name').textContent = NAMES[name];
    const color = colorOf(name),
      dot = box.querySelector('.dot');
    dot.hidden = !color;
    dot.style.background = color ?? '';
  }
}

const colorOf = (name) =>
  ({
    type: settings.type.color,
    signs: settings.type.color,
    highlighter: settings.highlighter.color,
    underline: settings.underline.color,
    crossout: settings.crossout.color,
    shape: settings.shape.color,
    pen: pen().color,
    stamp: settings.stamp.color,
    note: settings.note.color || (marks.view?.teacher ? '#c22f20' : '#2f6f9f'),
  })[name];

// steps shows what undo and redo would do.
export function steps() {
  const next = waiting();
  for (const b of spine.querySelectorAll('[data-step]')) {
    const name = b.dataset.step,
      words = name === 'undo' ? 'Undo' : 'Redo';
    b.disabled = !next[name];
    b.title = next[name] ? `${words}: ${next[name]}` : words;
    b.setAttribute('aria-label', b.title);
  }
}
events.onChange = steps;

let shown = ''; // the place whose popover is open
const moved = () => popover.dispatchEvent(new CustomEvent('moved', { bubbles: true }));
function opened(place) {
  shown = place;
  for (const box of spine.querySelectorAll('.place'))
    box.querySelector('.take').setAttribute('aria-expanded', String(box.dataset.place === place));
}
export function close() {
  if (popover.hidden) return;
  popover.hidden = true;
  whole = '';
  opened('');
  moved();
}

// On a telephone a popover that came with its place leaves the page to be
// worked on: it has the instruments, and the rest when it is asked for.
let whole = ''; // the place of which all was asked for
function brief(place) {
  const short =
    narrow.matches &&
    whole !== place &&
    popover.childElementCount > 2 &&
    !['pick', 'signs', 'picture', 'ruler'].includes(hand.name);
  popover.classList.toggle('brief', short);
  if (!short) return;
  popover.append(
    el(
      'button',
      {
        className: 'button quiet more',
        on: {
          click: () => {
            whole = place;
            show(place);
          },
        },
      },
      'How it is set',
    ),
  );
}
const narrow = window.matchMedia('(max-width: 640px)');

// level sets the popover level with what it is about, a place of the window,
// as far as it stays in view; without one it stands over the margin's head.
const FREE = 12; // CSS pixels about it
export function level(y) {
  const top = document.querySelector('.head').getBoundingClientRect().bottom,
    most = window.innerHeight - top - popover.offsetHeight - FREE;
  popover.style.setProperty('--level', `${Math.max(FREE, Math.min(y === undefined ? FREE : y - top, most))}px`);
}

// lay shows something else in the popover, level with a place of the window.
export function lay(label, contents, y) {
  popover.setAttribute('aria-label', label);
  popover.replaceChildren(...contents);
  popover.classList.remove('brief');
  popover.hidden = false;
  opened('');
  level(y);
  moved();
}

// show fills the popover of a place; what is chosen in it is kept and shown anew.
function show(place) {
  const names = places.find(([p]) => p === place)[1];
  const scroll = popover.scrollTop;
  popover.replaceChildren(
    ...fill(
      names,
      settings.place[place],
      (name) => {
        settings.place[place] = name;
        take(name);
      },
      () => {
        keep();
        draw();
        if (!popover.hidden) show(place);
      },
    ),
  );
  popover.setAttribute('aria-label', NAMES[settings.place[place]]);
  popover.hidden = popover.childElementCount === 0;
  brief(place);
  popover.scrollTop = scroll;
  opened(popover.hidden ? '' : place);
  level(place === 'pick' ? topOf(picked.all) : undefined);
  moved();
}
export const refreshPopover = () => {
  if (!popover.hidden) {
    const p = places.find(([, names]) => names.includes(hand.name));
    if (p) show(p[0]);
  }
};

typed.onChange = () => {
  if (shown === 'write') show('write');
};

// topOf gives where in the window things begin.
const topOf = (entries) =>
  entries.length ? Math.min(...entries.flatMap((e) => e.groups.map((g) => g.getBoundingClientRect().top))) : undefined;

picked.onChange = () => {
  if (hand.name !== 'pick') return;
  if (picked.all.length) show('pick');
  else close();
};

// The palette of signs, the aids and what can be done with things in hand stay
// while the page is worked on.
document.addEventListener(
  'pointerdown',
  (e) => {
    const on = /** @type {HTMLElement} */ (e.target);
    if (on.closest('[data-popover], [data-spine], dialog')) return;
    if (!on.closest('[data-desk]') || !['pick', 'signs', 'ruler'].includes(shown && hand.name)) close();
  },
  true,
);
popover.addEventListener('pointerdown', (e) => {
  if (document.querySelector('.typing') && !e.target.closest('input, textarea')) e.preventDefault();
}); // the caret stays where it is
