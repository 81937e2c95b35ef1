// type puts text on the page: a box that grows where one clicks, on the
// printed line, wrapping before the page's edge. The browser sets the line
// breaks; they become part of the mark.

import { core } from './core.js';
import { el } from './paint.js';
import { pixels, words } from './surface.js';
import { newId } from './ids.js';
import { find, marks, mayChange, set } from './marks.js';
import { instruments } from './pointer.js';
import { settings } from './settings.js';
import { blankAt, walk } from './blanks.js';

const EDGE = 8; // points kept free at the page's right edge
let open = null; // {id, sheet, x, y, box, size, color, before, merge}

export const typing = () => open !== null;

instruments.type = {
  async tap(p) {
    if (open) finish();
    const entry = marks.shown.get(core.hit(marks.view.edit, p.sheet.number, p, 3));
    if (entry?.mark.kind === 'freetext' && !entry.beside && mayChange(entry)) return this.open(entry, p);
    await Promise.race([words(p.sheet), new Promise((r) => setTimeout(r, 250))]);
    const { size, color } = settings.type, blank = blankAt(p.sheet.number, p.x, p.y);
    if (blank && blank.k !== 'room' && !(blank.k === 'box' && blank.r[3] - blank.r[1] > 60)) return this.into(blank, p.sheet, p);
    const x = Math.round(Math.min(p.x, p.sheet.w - 40) * 100) / 100;
    edit({ id: newId(), sheet: p.sheet, x, y: core.settle(p.sheet.number, p, size), size, color, before: null }, '');
  },
  // into opens a blank: what is written there already, or a new box at its
  // beginning, on the line that was pressed.
  into(b, sheet, p) {
    if (open) finish();
    const there = [...marks.shown.values()].find((e) => e.layer === marks.view.edit && e.mark.kind === 'freetext' && !e.beside && mayChange(e) && e.mark.page === b.page && blankAt(b.page, e.mark.body.x + 1, e.mark.body.y - 2) === b && (b.k !== 'lines' || !p || Math.abs(e.mark.body.y - core.settle(b.page, p, e.mark.body.lines[0]?.runs[0]?.size ?? 14)) < 4));
    if (there) { this.open(there, { sheet }); return; }
    const size = Math.min(settings.type.size, Math.max(b.s, 8));
    const y = b.k === 'lines' && p ? core.settle(b.page, p, size) : b.y;
    edit({ id: newId(), sheet, x: Math.round((b.r[0] + 3) * 100) / 100, y, size, color: settings.type.color, before: null }, '');
  },
  open(entry, p) {
    const t = entry.mark.body;
    const run = t.lines.flatMap((l) => l.runs)[0];
    for (const g of entry.groups) g.style.visibility = 'hidden';
    const text = t.lines.map((l, i) => l.runs.map((r) => r.text).join('') + (l.hard && i < t.lines.length - 1 ? '\n' : '')).join('');
    edit({ id: entry.mark.id, sheet: p.sheet, x: t.x, y: t.y, size: run.size, color: run.color, before: entry.mark }, text);
  },
  leave() { finish(); },
};

function edit(o, text) {
  const blank = blankAt(o.sheet.number, o.x + 1, o.y - 2);
  open = { ...o, merge: `typing-${newId()}`, right: blank && blank.k !== 'line' ? blank.r[2] - 2 : o.sheet.w - EDGE };
  const box = el('div', { className: 'typing', contentEditable: 'true', spellcheck: !marks.view.noSpelling, role: 'textbox', 'aria-multiline': 'true', 'aria-label': blank?.l || 'Text on the page' });
  box.textContent = text;
  open.box = box;
  o.sheet.box.append(box);
  place();
  box.addEventListener('input', () => { clearTimeout(open?.timer); if (open) open.timer = setTimeout(keep, 500); });
  box.addEventListener('beforeinput', plain);
  box.addEventListener('keydown', (e) => {
    e.stopPropagation();
    if (e.key === 'Escape') { e.preventDefault(); finish(); }
    if (e.key !== 'Tab' || !open) return;
    const { sheet, x, y } = open;
    finish();
    if (walk(sheet.number, x + 1, y - 2, e.shiftKey)) e.preventDefault();
  });
  box.addEventListener('blur', () => { if (open?.box === box && !document.hasFocus()) keep(); });
  box.focus();
  const range = document.createRange();
  range.selectNodeContents(box);
  range.collapse(false);
  getSelection().removeAllRanges();
  getSelection().addRange(range);
}

// plain turns a new paragraph into a line break and pastes as plain text.
function plain(e) {
  if (e.inputType === 'insertParagraph') { e.preventDefault(); document.execCommand('insertLineBreak'); }
  else if (/FromPaste|FromDrop/.test(e.inputType)) {
    e.preventDefault();
    document.execCommand('insertText', false, e.dataTransfer.getData('text/plain'));
  } else if (e.inputType.startsWith('format')) e.preventDefault();
}

// place sets the box so that its first baseline is the mark's.
export function place() {
  if (!open) return;
  const z = pixels(), { box, sheet, size } = open;
  Object.assign(box.style, { fontSize: `${size * z}px`, color: open.color, left: `${open.x * z}px`, top: '0px', maxWidth: `${(open.right - open.x) * z}px` });
  const probe = el('span');
  Object.assign(probe.style, { display: 'inline-block', width: '0', height: '0' });
  box.prepend(probe);
  const baseline = probe.getBoundingClientRect().bottom - box.getBoundingClientRect().top;
  probe.remove();
  box.style.top = `${open.y * z - baseline}px`;
}

// restyle applies a size or colour chosen while typing.
export function restyle() {
  if (!open) return;
  Object.assign(open, settings.type);
  place();
  keep();
  open.box.focus();
}

// lines reads the text as the browser has broken it.
function lines(box, size, color) {
  const out = [], range = document.createRange(), z = pixels();
  let text = '', top = null, left = Infinity, right = -Infinity;
  const flush = (hard) => { out.push({ runs: text ? [{ text, size, color }] : [], ...(hard ? { hard: true } : {}) }); text = ''; top = null; };
  const walk = document.createTreeWalker(box, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
  while (walk.nextNode()) {
    const n = walk.currentNode;
    if (n.nodeName === 'BR') { flush(true); continue; }
    if (n.nodeType !== Node.TEXT_NODE) continue;
    let i = 0;
    for (const ch of n.data) {
      if (ch === '\n') { flush(true); i += 1; continue; }
      range.setStart(n, i); range.setEnd(n, i + ch.length);
      const r = range.getBoundingClientRect();
      if (r.width || r.height) {
        if (top !== null && r.top - top > size * z * 0.6) flush(false);
        top ??= r.top;
        left = Math.min(left, r.left); right = Math.max(right, r.right);
      }
      text += ch;
      i += ch.length;
    }
  }
  if (text) flush(true);
  while (out.length && !out.at(-1).runs.length) out.pop();
  return { lines: out, width: Math.max(0, Math.round(((right - left) / z) * 100) / 100) || 0 };
}

// keep makes an operation of what stands in the box.
function keep() {
  if (!open) return;
  clearTimeout(open.timer);
  const { id, sheet, box, before, merge } = open;
  const read = lines(box, open.size, open.color);
  const empty = !read.lines.some((l) => l.runs.some((r) => r.text.trim()));
  const now = find(id)?.mark ?? null;
  if (empty) { if (now) set(id, null, { before, merge }); return; }
  const body = { x: open.x, y: open.y, width: read.width, lines: read.lines };
  if (JSON.stringify(now?.body) === JSON.stringify(body)) return;
  set(id, { id, page: sheet.number, kind: 'freetext', body }, { before, merge });
  for (const g of find(id)?.groups ?? []) g.style.visibility = 'hidden';
}

export function finish() {
  if (!open) return;
  keep();
  const { box, id } = open;
  open = null;
  box.remove();
  for (const g of find(id)?.groups ?? []) g.style.visibility = '';
}

document.addEventListener('visibilitychange', () => { if (document.hidden) keep(); });
window.addEventListener('pagehide', keep);
