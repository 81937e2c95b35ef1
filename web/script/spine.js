// spine builds the places on the coral rule. Pressing a place takes its
// instrument; pressing it again, or its colour, opens its popover.

import { el, icon } from './paint.js';
import { hand, take } from './pointer.js';
import { marks } from './marks.js';
import { events, redo, steps as waiting, undo } from './history.js';
import { keep, pen, settings } from './settings.js';
import { picked } from './pick.js';
import { finish } from './type.js';
import { fill } from './popover.js';

const spine = document.querySelector('[data-spine]'),
  popover = document.querySelector('[data-popover]');

export const NAMES = {
  pick: 'Pick',
  move: 'Move',
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
  rubber: 'Rubber',
  picture: 'Picture',
};
/** @type {[string, string[]][]} */
const ALL = [
  ['pick', ['pick', 'move']],
  ['write', ['type', 'signs']],
  ['mark', ['highlighter', 'underline', 'crossout']],
  ['draw', ['pen', 'shape', 'stamp', 'picture', 'ruler']],
  ['say', ['note', 'voice']],
  ['mend', ['eraser', 'rubber']],
];
let places = [];

// offers says whether the assignment offers an instrument; it may leave some
// out, and others that go with them.
const LEAVABLE = {
  type: 'type',
  signs: 'type',
  highlighter: 'highlighter',
  underline: 'underline',
  crossout: 'crossout',
  pen: 'pen',
  rubber: 'pen',
  shape: 'shape',
  stamp: 'shape',
  ruler: 'shape',
  picture: 'picture',
};
export const offers = (view, name) =>
  view.teacher || !view.instruments?.length || !LEAVABLE[name] || view.instruments.includes(LEAVABLE[name]);

export function build(view) {
  const offered = ALL.map(([p, i]) => [p, i.filter((n) => offers(view, n))]).filter(([, i]) => i.length);
  places = view.edit ? offered : [['pick', ['pick', 'move']]];
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
    const dot = el('button', { className: 'dot', tabIndex: -1, on: { click: () => open(place) } }, el('i'));
    box.append(
      el('button', { className: 'take', on: { click: () => press(place) } }),
      el('span', { className: 'name', 'aria-hidden': 'true' }),
      dot,
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
  if (hand.name === name && popover.hidden) open(place);
  else {
    close();
    take(name);
  }
}

// pressDigit takes the n-th place; the same digit again, its next instrument.
export function pressDigit(n) {
  const entry = places[n - 1];
  if (!entry) return;
  const [place, names] = entry;
  if (names.includes(hand.name)) settings.place[place] = names[(names.indexOf(hand.name) + 1) % names.length];
  close();
  take(settings.place[place]);
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
    const b = box.querySelector('.take');
    b.replaceChildren(icon(name));
    b.setAttribute('aria-label', NAMES[name]);
    b.setAttribute('aria-pressed', String(name === hand.name));
    b.title = NAMES[name];
    box.querySelector('.name').textContent = NAMES[name];
    const color = colorOf(name),
      dot = box.querySelector('.dot');
    dot.hidden = !color;
    dot.setAttribute('aria-label', `${NAMES[name]}: settings`);
    dot.querySelector('i').style.background = color ?? '';
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

const moved = () => popover.dispatchEvent(new CustomEvent('moved', { bubbles: true }));
export function close() {
  if (popover.hidden) return;
  popover.hidden = true;
  moved();
}

function open(place) {
  const name = settings.place[place];
  if (hand.name !== name) take(name);
  show(place);
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
  popover.scrollTop = scroll;
  popover.hidden = popover.childElementCount === 0;
  moved();
}
export const refreshPopover = () => {
  if (!popover.hidden) {
    const p = places.find(([, names]) => names.includes(hand.name));
    if (p) show(p[0]);
  }
};

picked.onChange = () => {
  if (hand.name !== 'pick') return;
  if (picked.all.length) show('pick');
  else close();
};

// A popover closes when work on the page begins; the palette of signs and what
// can be done with things in hand stay.
document.querySelector('[data-desk]').addEventListener(
  'pointerdown',
  () => {
    if (!['pick', 'signs', 'ruler'].includes(hand.name)) close();
  },
  true,
);
popover.addEventListener('pointerdown', (e) => {
  if (document.querySelector('.typing') && !e.target.closest('input, textarea')) e.preventDefault();
}); // the caret stays where it is
