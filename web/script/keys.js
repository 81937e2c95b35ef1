// keys has the shortcuts. None of a single letter or digit fires while
// somebody types, and these can be turned off (WCAG 2.2, 2.1.4).

import { redo, undo } from './history.js';
import { duplicate, nudge, pick, picked, pickPage, remove } from './pick.js';
import { hand } from './pointer.js';
import { close, lay, pressDigit } from './spine.js';
import { row } from './controls.js';
import { fit, setZoom, surface } from './surface.js';
import { keep, look, settings } from './settings.js';
import { nudgeAid } from './aids.js';
import { finish } from './type.js';
import * as panel from './panel.js';
import { el } from './paint.js';
import * as inwords from './inwords.js';
import { readHere } from './aloud.js';

const table = [
  ['1 – 6', 'Choose a place; again for its next instrument'],
  ['Tab', 'To the next blank; with Shift to the one before'],
  ['Ctrl Z, Ctrl Y', 'Undo, redo'],
  ['Ctrl ↑, Ctrl ↓', 'Raise, lower what is typed'],
  ['Enter on the page', 'A cross to point with: arrows move it, Enter presses and lets go'],
  ['Arrows', 'Move what is picked; with Shift by ten points'],
  ['Delete', 'Delete what is picked'],
  ['Ctrl A, Ctrl D', 'Pick all on the page, double what is picked'],
  ['Ctrl C, X, V', 'Copy, cut, paste'],
  ['Shift', 'Straight steps of 15°, even sides, picking several'],
  ['Ctrl while drawing shapes', 'Ends go to printed lines, words and marks'],
  ['Esc', 'Finish typing, let go'],
  ['Space held', 'Move the page'],
  ['/', 'Find'],
  ['l', 'Listen from here on, or stop'],
  ['F9', 'Speak what you would type; once more writes it down'],
  ['F6', 'On to the next part of the screen: head, sheet, instruments, what is open, margin, pages'],
  ['w', 'The sheet in words, or the page'],
  ['Ctrl +, Ctrl −, Ctrl 0', 'Larger, smaller, fit the width'],
  ['Ctrl P', 'Take away, or print'],
];
const marking = [
  ['[ and ]', 'Previous and next copy'],
  ['p, then a number', 'Points, Enter keeps them'],
  ['Space, or =', 'All points of a question, or those proposed'],
];
export const extra = {}; // single keys of the marking screen

let print = () => false; // asks what is to be printed; false where nothing is
export function onPrint(ask) {
  print = ask;
}

const writes = (e) => e.target.closest?.('input, textarea, select, [contenteditable="true"]');

document.addEventListener('keydown', (e) => {
  const command = e.ctrlKey || e.metaKey,
    key = e.key;
  if (document.querySelector('dialog[open]')) return;
  if (command && !e.altKey) {
    const k = key.toLowerCase();
    const run = {
      z: () => {
        finish();
        (e.shiftKey ? redo : undo)();
      },
      y: redo,
      '+': () => setZoom(surface.zoom * 1.2),
      '=': () => setZoom(surface.zoom * 1.2),
      '-': () => setZoom(surface.zoom / 1.2),
      0: () => fit('width'),
      ...(hand.name === 'pick' ? { a: pickPage } : {}),
      ...(picked.all.length ? { d: duplicate } : {}),
    }[k];
    if (k === 'p' && !e.shiftKey && print()) {
      e.preventDefault(); // the browser's own would print the screen
      return;
    }
    if (run && !(writes(e) && 'zyad'.includes(k))) {
      e.preventDefault();
      run();
    }
    return;
  }
  const turned = { ArrowLeft: -1, ArrowRight: 1 }[key];
  if (e.altKey && turned && hand.name === 'ruler' && nudgeAid(turned * (e.shiftKey ? 15 : 1), 0, true)) {
    e.preventDefault();
    return;
  }
  if (writes(e) || e.altKey) return;
  if (key === 'Escape') {
    pick();
    close();
    panel.close();
    return;
  }
  const by = e.shiftKey ? 10 : 1,
    d = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[key];
  if (d && hand.name === 'ruler' && nudgeAid(...d)) {
    e.preventDefault();
    return;
  }
  if (picked.all.length) {
    if (d) {
      e.preventDefault();
      nudge(...d, `nudge-${picked.all[0].mark.id}`);
      return;
    }
    if (key === 'Delete' || key === 'Backspace') {
      e.preventDefault();
      remove();
      return;
    }
  }
  if (key === '?') {
    help();
    return;
  }
  if (settings.keysOff) return;
  if (/^[1-6]$/.test(key)) pressDigit(+key);
  else if (key === '/') {
    e.preventDefault();
    panel.open('find');
  } else if (key === 'l') readHere();
  else if (key === 'w') inwords.choose(!inwords.shown());
  else if (extra[key]) {
    e.preventDefault();
    extra[key]();
  }
});

// Past the head straight to the sheet, for who goes by Tab.
document.querySelector('[data-skip]')?.addEventListener('click', () => {
  /** @type {HTMLElement} */ (document.querySelector(PARTS[1]))?.focus();
});

// F6 goes from one part of the screen to the next, with Shift to the one before; what is
// not shown is passed over.
const PARTS = [
  '.head',
  '.screen:not(.in-words) > [data-desk], .in-words > [data-inwords]',
  '[data-spine]',
  '[data-popover]',
  '[data-margin]',
  '.side',
];
const CAN =
  'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), summary';
document.addEventListener('keydown', (e) => {
  if (e.key !== 'F6' || document.querySelector('dialog[open]')) return;
  e.preventDefault();
  const parts = PARTS.map((p) => /** @type {HTMLElement} */ (document.querySelector(p))).filter((p) =>
      p?.checkVisibility({ visibilityProperty: true }),
    ),
    at = parts.findIndex((p) => p.contains(document.activeElement)),
    n = parts.length;
  for (let i = 1; i <= n; i++) {
    const part = parts[(Math.max(at, e.shiftKey ? at : -1) + (e.shiftKey ? n - i : i) + n) % n],
      to =
        part.tabIndex >= 0 || part.hasAttribute('tabindex')
          ? part
          : [...part.querySelectorAll(CAN)].find((x) => x.checkVisibility({ visibilityProperty: true }));
    if (to) {
      to.focus();
      return;
    }
  }
});

// Tab goes from an instrument into its flap, where that is open, and from there on to the
// next instrument; with Shift the same way back.
document.addEventListener('keydown', (e) => {
  const flap = /** @type {HTMLElement} */ (document.querySelector('[data-popover]:not([hidden])')),
    opener = document.querySelector('[data-spine] [aria-expanded="true"]'),
    active = document.activeElement;
  if (e.key !== 'Tab' || !flap || !opener || e.defaultPrevented) return;
  const there = (part) =>
      [...part.querySelectorAll(CAN)].filter((x) => x.checkVisibility({ visibilityProperty: true })),
    inside = there(flap),
    spine = there(document.querySelector('[data-spine]')),
    after = spine[spine.indexOf(opener) + 1];
  let to = null;
  if (e.shiftKey) {
    if (active === inside[0]) to = opener;
    else if (active === after) to = inside.at(-1);
  } else if (active === opener) [to] = inside;
  else if (active === inside.at(-1)) to = after;
  if (!to) return;
  e.preventDefault();
  to.focus();
});

const HELP = {
  pick: 'Press a mark to take it in hand; draw a loop on empty paper around several. Drag to move, the squares to stretch, the round knob to turn. Printed words can be selected: what can be done with them stands at the rule.',
  move: 'Drag the page to move it.',
  listen: 'Press a word and hear the text from there on. Escape stops it.',
  type: 'Press where you want to write, and type. Tinted places are blanks: Tab goes to the next one.',
  signs: 'Press where you want to write, then choose signs.',
  highlighter: 'Drag over words, or from empty paper to cover a box.',
  underline: 'Drag over words.',
  crossout: 'Drag over words that shall go.',
  pen: 'Draw. When a line resembles a shape, a small sign beside it makes it neat.',
  shape: 'Choose a shape, then drag it on the page.',
  stamp: 'Choose a stamp, then press the page.',
  picture: 'Choose a picture, then press the page.',
  ruler: 'Lay a ruler, protractor or grid on the page and draw along it.',
  note: 'Press the place you want to speak about, then write.',
  voice: 'Press the place you want to speak about, then speak.',
  eraser:
    'Touch whole marks to take them away, or, with Parts, rub over drawn lines: just what is under the ring goes.',
};
// On a telephone the head has no room for how the page is seen, nor the rule
// for Redo: both stand behind one button.
document.querySelector('[data-do="view"]')?.addEventListener('click', () => {
  const press = (words, selector) => {
    const at = document.querySelector(selector);
    return at && !at.hidden
      ? el('button', { className: 'button', disabled: at.disabled, on: { click: () => at.click() } }, words)
      : null;
  };
  lay('How the page is seen', [
    row(press('Redo', '[data-step="redo"]')),
    row(press('Smaller', '[data-zoom="out"]'), press('Larger', '[data-zoom="in"]')),
    row(press('Whole width', '[data-zoom="width"]'), press('Whole page', '[data-zoom="page"]')),
    row(
      press('Contents', '[data-do="contents"]'),
      press('Find', '[data-do="find"]'),
      press('Everything on this copy', '[data-do="list"]'),
      press('Plain view', '[data-do="plain"]'),
      press('Help', '[data-do="help"]'),
    ),
  ]);
});

const dialog = document.querySelector('[data-dialog="help"]');
export function help() {
  const rows = [...table, ...(Object.keys(extra).length ? marking : [])];
  dialog.querySelector('[data-help-here]').textContent = HELP[hand.name] ?? '';
  dialog
    .querySelector('[data-help]')
    .replaceChildren(
      ...rows.map(([k, what]) =>
        el(
          'p',
          { className: 'flex justify-between gap-4' },
          el('span', {}, what),
          el('strong', { className: 'whitespace-nowrap' }, k),
        ),
      ),
    );
  for (const box of dialog.querySelectorAll('[data-set]')) box.checked = settings[box.dataset.set];
  for (const b of dialog.querySelectorAll('[data-press]'))
    b.hidden = document.querySelector(`.head ${b.dataset.press}`)?.hidden ?? true;
  dialog.showModal();
}
for (const box of dialog.querySelectorAll('[data-set]'))
  box.addEventListener('change', () => {
    settings[box.dataset.set] = box.checked;
    keep();
    look();
  });
document.querySelector('[data-do="help"]').addEventListener('click', help);
for (const name of ['contents', 'list', 'find'])
  document.querySelector(`[data-do="${name}"]`)?.addEventListener('click', () => panel.open(name));
// On a narrow screen the head has no room for these.
for (const b of dialog.querySelectorAll('[data-press]'))
  b.addEventListener('click', () => {
    dialog.close();
    document.querySelector(`.head ${b.dataset.press}`)?.click();
  });
document.querySelector('[data-do="full"]').addEventListener('click', () => {
  if (document.fullscreenElement) document.exitFullscreen();
  else document.documentElement.requestFullscreen?.().catch(() => {});
});
