// clipboard cuts, copies and pastes marks: onto the same page, another one, or
// another copy of the same person. Pictures from elsewhere come in by it too.

import { picked, lay, remove } from './pick.js';
import { layerNow, marks } from './marks.js';
import { current, sheetOf, surface } from './surface.js';
import { bring } from './pictures.js';
import { linesOf } from './rich.js';
import { ask } from './net.js';
import { toast } from './toast.js';

const place = () => `clipboard ${marks.view.person}`; // a shared laptop's next person has another one
const writes = (e) => e.target.closest?.('input, textarea, select, [contenteditable="true"]');
let where = null, // where the pointer was last on a page
  pressed = 0; // the page that was pressed last

surface.desk.addEventListener(
  'pointerdown',
  (e) => {
    pressed = +(e.target.closest?.('.sheet')?.dataset.page ?? pressed);
  },
  { passive: true, capture: true },
);

surface.desk.addEventListener(
  'pointermove',
  (e) => {
    if (e.target.closest?.('.sheet')) where = { x: e.clientX, y: e.clientY };
  },
  { passive: true },
);

function take(e) {
  if (writes(e) || !picked.all.length || String(getSelection())) return false;
  const ones = picked.all
    .filter((x) => x.mark.kind !== 'widget')
    .map(({ mark: { kind, body, rank, page } }) => ({ kind, body, rank, page, copy: marks.view.copy }));
  localStorage.setItem(place(), JSON.stringify(ones));
  e.clipboardData?.setData(
    'text/plain',
    ones
      .filter((o) => o.kind === 'freetext')
      .map((o) => linesOf(o.body.lines).join('\n'))
      .join('\n') || ' ',
  );
  e.clipboardData?.setData('application/x-readymargin-marks', JSON.stringify(ones));
  e.preventDefault();
  return true;
}

export function copy() {
  take({ target: document.body, preventDefault() {} });
}
export function cut() {
  if (take({ target: document.body, preventDefault() {} })) remove();
}

// aim gives the page that was pressed last, while it is in view.
function aim() {
  const s = sheetOf(pressed),
    r = s?.box.getBoundingClientRect(),
    d = surface.desk.getBoundingClientRect();
  return r && r.bottom > d.top + 20 && r.top < d.bottom - 20 ? s : current();
}

// paste lays what was cut or copied on the page that is in hand.
export async function paste(ones) {
  ones ??= JSON.parse(localStorage.getItem(place()) ?? '[]');
  if (!ones.length || !marks.view.edit) return;
  const s = aim(),
    here = ones[0].copy === marks.view.copy,
    same = here && ones[0].page === s.number;
  try {
    // A picture has to come along to the other copy, unless it is of the shelf.
    for (const o of ones)
      if (o.kind === 'picture' && !here && !marks.view.shelf?.some((p) => p.hash === o.body.hash))
        await ask(`/copies/${marks.view.copy}/pictures?layer=${layerNow()}&from=${o.copy}&hash=${o.body.hash}`, {
          method: 'POST',
        });
  } catch (e) {
    toast(`It was not pasted. ${e.message}`);
    return;
  }
  lay(ones, s.number, same ? 12 : 0, same ? 12 : 0);
}
export const full = () => !!localStorage.getItem(place());

document.addEventListener('copy', take);
document.addEventListener('cut', (e) => {
  if (take(e)) remove();
});
document.addEventListener('paste', (e) => {
  if (writes(e) || !marks.view?.edit || document.querySelector('dialog[open]')) return;
  const file = [...e.clipboardData.files].find((f) => f.type.startsWith('image/'));
  if (file) {
    e.preventDefault();
    bring(file, where);
    return;
  }
  const ours = e.clipboardData.getData('application/x-readymargin-marks');
  if (ours) {
    e.preventDefault();
    paste(JSON.parse(ours));
  }
});
