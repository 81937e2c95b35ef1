// raised raises and lowers letters, and offers to do so as one types where it
// is plain: a digit in a chemical formula, what follows a caret. It is never
// forced: going on typing lets the offer go.

import { el } from './paint.js';

const ELEMENTS =
  'H He Li Be B C N O F Ne Na Mg Al Si P S Cl Ar K Ca Sc Ti V Cr Mn Fe Co Ni Cu Zn Ga Ge As Se Br Kr Rb Sr Ag Cd Sn Sb I Xe Cs Ba Pt Au Hg Pb Bi U'
    .split(' ')
    .sort((a, b) => b.length - a.length)
    .join('|');
const FORMULA = new RegExp(`(?:^|[\\s(=+→])\\d*((?:${ELEMENTS}|[()\\[\\]]|\\d)*(?:${ELEMENTS}|\\)|\\]))(\\d+)$`);
const ION = new RegExp(`(?:^|[\\s(=+→])\\d*(?:${ELEMENTS}|\\()(?:${ELEMENTS}|[()\\[\\]]|\\d)*?(\\d[+−-])$`);
const INNER = new RegExp(`(?:^|[\\s(=+→])\\d*(?:${ELEMENTS})(\\d)(${ELEMENTS})$`);
const MOLECULES = /^(H2|N2|O2|O3|F2|Cl2|Br2|I2|P4|S8)$/; // elements that stand with such a digit alone
const SHELL = /(?:^|[\s\])])[1-7][spdf](\d{1,2})$/;
const TENTH = /(?:^|[\s·×*(])10([-−]\d+)$/;
const POWER = /\^([-−+]?\d+|[a-z])$/;

// wish gives what the letters before the caret ask for: how many of them are
// to be raised (1) or lowered (-1), how many stand behind these, and whether a
// caret only asked for it. What may still become the opposite asks for nothing:
// Ca2 may go on as an ion, Fe2 as either.
export function wish(text) {
  const found = (pattern, way, more = {}) => {
    const m = text.match(pattern);
    return m && { letters: m[1], way, behind: 0, asking: 0, ...more };
  };
  const formula = text.match(FORMULA);
  if (formula) {
    const token = formula[1] + formula[2],
      alone = new RegExp(`^(?:${ELEMENTS})\\d+$`).test(token);
    if (!alone || MOLECULES.test(token)) return { letters: formula[2], way: -1, behind: 0, asking: 0 };
  }
  const inner = text.match(INNER);
  if (inner) return { letters: inner[1], way: -1, behind: inner[2].length, asking: 0 };
  return found(POWER, 1, { asking: 1 }) ?? found(SHELL, 1) ?? found(TENTH, 1) ?? found(ION, 1);
}

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
  const asked = wish(editor.before());
  if (!asked) return;
  const { letters, way, behind, asking } = asked;
  const take = () => {
    dismiss();
    editor.focus();
    editor.raise(way, letters.length, asking, behind);
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
    el('small', {}, 'or just go on'),
  );
  Object.assign(chip, { take, way });
  const r = editor.caret(),
    frame = box.parentElement.getBoundingClientRect();
  Object.assign(chip.style, {
    left: `${Math.min(r.left - frame.left + 6, frame.width - 230)}px`,
    top: `${r.bottom - frame.top + 6}px`,
  });
  box.after(chip);
}
