// raised raises and lowers letters, and offers to do so as one types where it
// is plain: a digit in a chemical formula, what follows a caret. It is never
// forced: going on typing lets the offer go.

import { el } from './paint.js';

const ELEMENTS =
  'H He Li Be B C N O F Ne Na Mg Al Si P S Cl Ar K Ca Sc Ti V Cr Mn Fe Co Ni Cu Zn Ga Ge As Se Br Kr Rb Sr Ag Cd Sn Sb I Xe Cs Ba Pt Au Hg Pb Bi U'
    .split(' ')
    .sort((a, b) => b.length - a.length)
    .join('|');
const FORMULA = new RegExp(`(?:^|[\\s(=+→])\\d*((?:${ELEMENTS}|[()\\[\\]]|\\d)*(?:${ELEMENTS}|\\)|\\]))(\\d)$`);
const POWER = /\^([-−+]?\d+|[a-z])$/;

let chip = null;

export function dismiss() {
  chip?.remove();
  chip = null;
}

// shift raises (1) or lowers (-1) what is selected or typed next; the same
// again sets it back on the line.
export function shift(way) {
  const taken = chip?.take;
  if (taken && chip.way === way) {
    taken();
    return;
  }
  document.execCommand('styleWithCSS', false, 'false');
  document.execCommand(way > 0 ? 'superscript' : 'subscript');
}

// before gives what was typed on the line before the caret, raised and lowered
// letters included.
function before(box) {
  const s = getSelection();
  if (!s.isCollapsed || !box.contains(s.anchorNode)) return '';
  const r = document.createRange();
  r.setStart(box, 0);
  r.setEnd(s.anchorNode, s.anchorOffset);
  return r.toString().split('\n').at(-1);
}

export function offer(box) {
  dismiss();
  const n = getSelection().anchorNode;
  if (n?.nodeType !== Node.TEXT_NODE || n.parentElement.closest('sup, sub')) return;
  const text = before(box),
    power = text.match(POWER),
    formula = !power && text.match(FORMULA);
  if (!power && !formula) return;
  const letters = power ? power[1] : formula[2];
  const take = () => {
    dismiss();
    box.focus();
    const s = getSelection(),
      at = s.anchorOffset;
    for (let i = 0; i < letters.length + (power ? 1 : 0); i++) s.modify('extend', 'backward', 'character');
    if (power) document.execCommand('insertText', false, letters);
    if (power) for (let i = 0; i < letters.length; i++) s.modify('extend', 'backward', 'character');
    document.execCommand('styleWithCSS', false, 'false');
    document.execCommand(power ? 'superscript' : 'subscript');
    s.collapseToEnd();
    if (at >= 0) document.execCommand(power ? 'superscript' : 'subscript'); // what follows stands on the line again
  };
  const way = power ? 1 : -1;
  chip = el(
    'button',
    {
      className: 'offer',
      tabIndex: -1,
      on: {
        pointerdown: (e) => {
          e.preventDefault();
          e.stopPropagation();
          take();
        },
      },
    },
    way > 0 ? 'Raise ' : 'Lower ',
    el(way > 0 ? 'sup' : 'sub', {}, letters),
    el('kbd', {}, way > 0 ? 'Ctrl ↑' : 'Ctrl ↓'),
  );
  Object.assign(chip, { take, way });
  const r = getSelection().getRangeAt(0).cloneRange().getBoundingClientRect(),
    frame = box.parentElement.getBoundingClientRect();
  Object.assign(chip.style, {
    left: `${Math.min(r.left - frame.left + 6, frame.width - 130)}px`,
    top: `${r.bottom - frame.top + 6}px`,
  });
  box.after(chip);
}
