// keys has the shortcuts. None of a single letter or digit fires while
// somebody types, and these can be turned off (WCAG 2.2, 2.1.4).

import { redo, undo } from './marks.js';
import { nudge, pick, picked, remove } from './pick.js';
import { pressDigit, close } from './spine.js';
import { fit, setZoom, surface } from './surface.js';
import { keep, look, settings } from './settings.js';
import { el } from './paint.js';

const table = [
  ['1 – 6', 'Choose a place; again for its next instrument', 'digit'],
  ['Ctrl Z', 'Undo'], ['Ctrl Y', 'Redo'],
  ['Arrows', 'Move what is picked; with Shift by ten points'], ['Delete', 'Delete what is picked'], ['Esc', 'Finish typing, let go'],
  ['Ctrl +, Ctrl −', 'Larger, smaller'], ['Ctrl 0', 'Fit the width'], ['Page up, Page down', 'Move through the pages'],
];
const marking = [['[ and ]', 'Previous and next copy'], ['p, then a number', 'Points, Enter keeps them']];
export const extra = {}; // single keys of the marking screen

const writes = (e) => e.target.closest?.('input, textarea, select, [contenteditable="true"]');

document.addEventListener('keydown', (e) => {
  const command = e.ctrlKey || e.metaKey, key = e.key;
  if (document.querySelector('dialog[open]')) return;
  if (command && !e.altKey) {
    const k = key.toLowerCase();
    const run = { z: () => (e.shiftKey ? redo() : undo()), y: redo, '+': () => setZoom(surface.zoom * 1.2), '=': () => setZoom(surface.zoom * 1.2), '-': () => setZoom(surface.zoom / 1.2), 0: () => fit('width') }[k];
    if (run && !(writes(e) && 'zy'.includes(k))) { e.preventDefault(); run(); }
    return;
  }
  if (writes(e) || e.altKey) return;
  if (key === 'Escape') { pick(null); close(); return; }
  if (picked.entry) {
    const by = e.shiftKey ? 10 : 1, d = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[key];
    if (d) { e.preventDefault(); nudge(...d, `nudge-${picked.entry.mark.id}`); return; }
    if (key === 'Delete' || key === 'Backspace') { e.preventDefault(); remove(); return; }
  }
  if (key === '?') { help(); return; }
  if (settings.keysOff) return;
  if (/^[1-6]$/.test(key)) pressDigit(+key);
  else if (extra[key]) { e.preventDefault(); extra[key](); }
});

const dialog = document.querySelector('[data-dialog="help"]');
export function help() {
  const rows = [...table, ...(Object.keys(extra).length ? marking : [])];
  dialog.querySelector('[data-help]').replaceChildren(...rows.map(([k, what]) => el('p', { className: 'flex justify-between gap-4' }, el('span', {}, what), el('strong', {}, k))));
  dialog.querySelector('[data-keys-off]').checked = settings.keysOff;
  dialog.querySelector('[data-left]').checked = settings.left;
  dialog.querySelector('[data-ruler]').checked = settings.ruler;
  dialog.showModal();
}
dialog.querySelector('[data-keys-off]').addEventListener('change', (e) => { settings.keysOff = e.target.checked; keep(); });
dialog.querySelector('[data-left]').addEventListener('change', (e) => { settings.left = e.target.checked; keep(); look(); });
dialog.querySelector('[data-ruler]').addEventListener('change', (e) => { settings.ruler = e.target.checked; keep(); look(); });
document.querySelector('[data-do="help"]').addEventListener('click', help);
