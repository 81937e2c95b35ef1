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
export function shift(editor, way) {
  if (chip?.way === way) chip.take();
  else editor.shift(way);
}

// offer offers it beneath the caret, where the letters before it ask for it.
export function offer(box, editor) {
  dismiss();
  const text = editor.before(),
    power = text.match(POWER),
    formula = !power && text.match(FORMULA);
  if (!power && !formula) return;
  const letters = power ? power[1] : formula[2],
    way = power ? 1 : -1;
  const take = () => {
    dismiss();
    editor.focus();
    editor.raise(way, letters.length, power ? 1 : 0);
  };
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
  const r = editor.caret(),
    frame = box.parentElement.getBoundingClientRect();
  Object.assign(chip.style, {
    left: `${Math.min(r.left - frame.left + 6, frame.width - 130)}px`,
    top: `${r.bottom - frame.top + 6}px`,
  });
  box.after(chip);
}
