// type puts text on the page: a box that grows where one clicks, on the
// printed line, wrapping before the page's edge. The browser sets the line
// breaks; they become part of the mark.

import { core } from './core.js';
import { el } from './paint.js';
import { goTo, pixels, round, setZoom, sheetOf, surface, words } from './surface.js';
import { newId } from './ids.js';
import { rulesOf } from './ruling.js';
import { find, hit, marks, mayChange, set } from './marks.js';
import { instruments, take } from './pointer.js';
import { settings } from './settings.js';
import { toast } from './toast.js';
import { blankAt, counted, han, isPersonal, letters, near, toDraw, walk } from './blanks.js';
import { offers } from './spine.js';
import * as strip from './strip.js';
import * as drafts from './drafts.js';
import { goesOn, tidy } from './papers.js';
import { about } from './margin.js';
import { fillIn, valueOf } from './personal.js';
import { filledIn, finishFilling, isPressed, press } from './fill.js';
import { hold } from './queue.js';
import { hardLines, linesOf, look, lookOf, read } from './rich.js';
import { offer, dismiss, shift } from './raised.js';

const EDGE = 8; // points kept free at the page's right edge
export const LEAST = 0.8; // of a blank's own size: what is too long for it gets no smaller
export const INSET = 3; // points between the edge of a blank and what is written in it
const READABLE = 13; // CSS pixels
const SMALLEST = 8; // points, in a field of several lines, which cannot grow
let open = null; // {id, sheet, x, y, box, editor, of, width, turn, before, merge}

export const typing = () => open !== null;
export const typed = { onChange: /** @type {() => void} */ (() => {}) }; // another part of it is selected

let editors = /** @type {typeof import('./editor.js') | null} */ (null);

// load fetches what one types with, which may come after the page.
export async function load() {
  editors ??= await import('./editor.js');
}

instruments.type = {
  async tap(p, e) {
    if (open) finish();
    const entry = hit(p, 3);
    if (entry?.mark.kind === 'freetext' && !entry.conflict && mayChange(entry)) return this.open(entry, p);
    await Promise.race([words(p.sheet), new Promise((r) => setTimeout(r, 250))]);
    const blank = near(p, e);
    if (blank && isPressed(blank)) {
      press(blank, p.sheet, true);
      return;
    }
    if (blank && (blank.f || (blank.k !== 'room' && !(blank.k === 'box' && blank.r[3] - blank.r[1] > 60))))
      return this.into(blank, p.sheet, p);
    const drawn = blank ? null : toDraw(p);
    if (drawn && offers(marks.view, 'pen') && !this.asked) {
      offerPen(drawn, p);
      return;
    }
    this.asked = false;
    const x = round(Math.min(p.x, p.sheet.w - 40));
    edit({
      id: newId(),
      sheet: p.sheet,
      x,
      y: core.settle(p.sheet.number, p, letters() || settings.type.size),
      of: { ...settings.type, size: letters() || settings.type.size },
      before: null,
    });
  },
  // into opens a blank: what is written there already, or a new box at its
  // beginning, on the line that was pressed.
  into(b, sheet, p) {
    if (open) finish();
    if (isPressed(b)) {
      press(b, sheet);
      return;
    }
    if (b.f) {
      intoField(b, sheet);
      return;
    }
    const there = writtenIn(b, p)[0];
    if (there) {
      this.open(there, { sheet });
      return;
    }
    edit({
      id: newId(),
      sheet,
      x: round(b.r[0] + INSET),
      y: b.y,
      of: { ...settings.type, size: b.s, align: '', step: b.d },
      width: b.d ? round(b.r[2] - b.r[0] - 2 * INSET) : undefined,
      before: null,
    });
  },
  open(entry, p) {
    const t = entry.mark.body;
    for (const g of entry.groups) g.style.visibility = 'hidden';
    edit(
      {
        id: entry.mark.id,
        sheet: p.sheet,
        x: t.x,
        y: t.y,
        of: lookOf(t),
        width: t.box,
        turn: t.turn,
        before: entry.mark,
      },
      t,
    );
  },
  leave() {
    finish();
    finishFilling();
  },
};

// offerPen offers the instrument that fits where a sheet asks for a drawing, or
// for shading; one can still write there.
let fits = null;
function offerPen(b, p) {
  fits?.remove();
  const pick = (words, run) =>
    el(
      'button',
      {
        className: 'button',
        on: {
          click: () => {
            fits.remove();
            run();
          },
        },
      },
      words,
    );
  fits = el(
    'div',
    { className: 'fits', role: 'group', 'aria-label': 'What fits here' },
    pick(b.k === 'shade' ? 'Shade with the pen' : 'Draw with the pen', () => {
      const broad = settings.pens.findIndex((q) => q.width >= 5);
      if (b.k === 'shade' && broad >= 0) settings.pen = broad;
      settings.place.draw = 'pen';
      take('pen');
    }),
    pick('Write here', () => {
      instruments.type.asked = true;
      instruments.type.tap(p);
    }),
    pick('Neither', () => surface.desk.focus()),
  );
  Object.assign(fits.style, { left: `${p.x * pixels()}px`, top: `${p.y * pixels() + 8}px` });
  p.sheet.box.append(fits);
}
surface.desk.addEventListener('pointerdown', (e) => {
  if (!e.target.closest('.fits')) fits?.remove();
});

// writtenIn gives one's own texts in a blank, the nearest to a place first.
function writtenIn(b, p) {
  const far = (e) => {
    const [, top, , foot] = core.bounds(e.version) ?? [0, 0, 0, 0];
    return p ? Math.max(top - p.y, p.y - foot, 0) : 0;
  };
  return [...marks.shown.values()]
    .filter(
      (e) =>
        e.layer === marks.view.edit &&
        e.mark.kind === 'freetext' &&
        !e.conflict &&
        mayChange(e) &&
        e.mark.page === b.page &&
        (e.mark.blank ? e.mark.blank === b.i : blankAt(b.page, e.mark.body.x + 1, e.mark.body.y - 2) === b),
    )
    .sort((a, c) => far(a) - far(c));
}

// intoField opens a form field: its text may not be longer than it allows, a
// letter stands in each part of a comb, and what is long scrolls in its box.
function intoField(b, sheet) {
  const there = filledIn(b),
    text = there?.mark.body.text,
    comb = b.k === 'comb' && b.m > 0;
  for (const g of there?.groups ?? []) g.style.visibility = 'hidden';
  const of = text ? { ...lookOf(text), largest: undefined } : { ...settings.type, size: b.s, align: '', fill: '' };
  edit(
    {
      id: there?.mark.id ?? newId(),
      sheet,
      x: comb ? b.r[0] : b.r[0] + 3,
      y: b.y,
      of: comb ? { ...of, font: 'mono' } : of,
      width: b.k === 'box' || comb ? b.r[2] - b.r[0] - (comb ? 0 : 6) : undefined,
      before: there?.mark ?? null,
      field: b,
      comb,
    },
    text,
  );
}

function edit(o, body) {
  if (!editors) {
    load().then(
      () => edit(o, body),
      () => toast('What one types with has not loaded. Nothing is lost; press again in a moment.'),
    );
    return;
  }
  if (open) finish();
  const blank = o.field ?? (o.turn ? null : blankAt(o.sheet.number, o.x + 1, o.y - 2));
  open = {
    ...o,
    blank,
    wanted: blank && (o.of.step || isOneLine(blank)) ? Math.max(o.of.size, blank.s) : o.of.size,
    merge: `typing-${newId()}`,
    right: blank ? Math.max(blank.r[2] - 2, o.x + 20) : o.sheet.w - EDGE,
  };
  const box = el('div', {
    className: 'typing',
    spellcheck: !marks.view.noSpelling,
    role: 'textbox',
    'aria-multiline': 'true',
    'aria-label': blank?.l || 'Text on the page',
    enterKeyHint: isOneLine(blank) ? 'next' : 'enter',
    dir: 'auto',
    lang: han(),
  });
  open.box = box;
  o.sheet.box.append(box);
  box.addEventListener('keydown', keys, { capture: true }); // before the editor
  box.addEventListener('keydown', (e) => e.stopPropagation());
  const most = o.field?.m;
  open.editor = editors.edit(box, {
    lines: body ? hardLines(body) : [[]],
    of: o.of,
    most,
    single: o.field ? o.field.k !== 'box' : isOneLine(blank),
    onward: () => onward(false),
    changed() {
      if (!open) return;
      open.own?.remove();
      fitBlank();
      keepInside();
      stay();
      offer(box, open.editor);
      later();
    },
    selected: () => typed.onChange(),
    full: () => toast(`There is room for ${most} ${most === 1 ? 'letter' : 'letters'} here.`),
  });
  place();
  if (window.innerWidth <= 640 && o.of.size * pixels() < READABLE) closer(box, o.of.size);
  if (isPersonal(blank) && !o.before) ownWords(blank);
  open.letters = open.editor.letters();
  const waits = blank?.i ? drafts.of(about(), `rest/${blank.i}`) : null;
  if (waits) tooMuch(waits);
  beside(o, blank);
  strip.show(box, { ...counted(blank), go: onward, end });
  box.addEventListener('blur', () => {
    if (open?.box === box && !document.hasFocus()) keep();
  });
}

// later keeps what is typed soon, however long the typing goes on; until then
// the head does not say that it is saved.
const SOON = 200; // milliseconds
function later() {
  hold('typing', true);
  open.timer ??= setTimeout(keep, SOON);
}

// beside scrolls sideways to where something is typed.
function beside(o, blank) {
  const d = surface.desk.getBoundingClientRect(),
    s = o.sheet.box.getBoundingClientRect(),
    z = pixels();
  const left = s.left + (blank?.r[0] ?? o.x) * z - 12,
    right = s.left + (blank?.r[2] ?? o.x + 60) * z + 12;
  if (left < d.left) surface.desk.scrollLeft -= d.left - left;
  else if (right > d.right) surface.desk.scrollLeft += Math.min(right - d.right, left - d.left);
}

// closer brings what is typed on a telephone near enough to be read.
function closer(box, size) {
  const r = box.getBoundingClientRect();
  setZoom((READABLE + 3) / size / (pixels() / surface.zoom), r.left, r.top);
  box.scrollIntoView({ block: 'center', inline: 'nearest' });
}

// onward ends the typing and goes to the next place, or the one before; false
// when there is none.
function onward(back) {
  const { sheet, x, y } = open;
  finish();
  return walk(sheet.number, x + 1, y - 2, back);
}

function end() {
  finish();
  surface.desk.focus({ preventScroll: true });
}

function keys(e) {
  if (!open) return;
  if (e.key === 'Backspace' && open.rest && open.editor.atEnd()) {
    e.preventDefault();
    e.stopPropagation();
    tooMuch(open.rest.slice(0, -1)); // what was typed last is among what waits
  } else if (e.key === 'Escape') {
    e.preventDefault();
    e.stopPropagation();
    end();
  } else if ((e.ctrlKey || e.metaKey) && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
    e.preventDefault();
    shift(open.editor, e.key === 'ArrowUp' ? 1 : -1);
  } else if (e.key === 'Tab' || (e.key === 'Enter' && !e.shiftKey && !e.isComposing && isOneLine(open.blank))) {
    e.stopPropagation();
    if (onward(e.shiftKey) || e.key === 'Enter') e.preventDefault();
  }
}

// place sets the box so that its first baseline is the mark's.
export function place() {
  if (!open) return;
  const z = pixels(),
    { box, of, width } = open;
  look(box, { ...of, largest: largest() });
  Object.assign(box.style, {
    left: `${open.x * z}px`,
    top: '0px',
    transform: 'none',
    width: width ? `${width * z}px` : '',
    maxWidth: width ? '' : `${(open.right - open.x) * z}px`,
  });
  if (open.comb) Object.assign(box.style, combed());
  if (open.field?.k === 'box')
    Object.assign(box.style, { maxHeight: `${(open.field.r[3] - open.field.r[1]) * z}px`, overflowY: 'hidden' });
  const first = baseline(box);
  box.style.top = `${open.y * z - first}px`;
  if (open.turn) Object.assign(box.style, { transformOrigin: `0 ${first}px`, transform: `rotate(${open.turn}deg)` });
}

// baseline gives how far below the top of a box its first line stands. That is
// measured on a likeness, as the editor minds what is put into its own.
function baseline(box) {
  const probe = el('span', { className: 'probe' }),
    like = el('div', { className: 'typing again' }, probe);
  like.style.cssText = box.style.cssText;
  like.style.transform = 'none';
  like.append(...(box.firstChild?.cloneNode(true).childNodes ?? []));
  box.parentElement.append(like);
  const down = probe.getBoundingClientRect().bottom - like.getBoundingClientRect().top;
  like.remove();
  return down;
}

// largest gives the largest size in the box, in points.
const largest = () => round(open.editor.largest() * open.of.size);

// stay moves text up that would run off the page's foot.
function stay() {
  const { box, sheet, turn, field } = open,
    over = box.offsetTop + box.offsetHeight - (sheet.h - EDGE) * pixels();
  if (over <= 0 || turn || field || box.offsetTop - over < 0) return;
  open.y = round(open.y - over / pixels());
  box.style.top = `${box.offsetTop - over}px`;
}

// combed gives each letter its part of a comb.
function combed() {
  const z = pixels(),
    part = ((open.field.r[2] - open.field.r[0]) * z) / open.field.m,
    letter = widthOf('0', open.of.size * z);
  return { letterSpacing: `${part - letter}px`, textIndent: `${(part - letter) / 2}px`, whiteSpace: 'nowrap' };
}

const canvas = document.createElement('canvas').getContext('2d');
function widthOf(letters, size) {
  canvas.font = `${size}px "RM Mono"`;
  return canvas.measureText(letters).width;
}

// isOneLine says of a blank that what is written in it stands on one line.
export const isOneLine = (b) => !!b && ['line', 'cell', 'number', 'comb'].includes(b.k) && b.r[3] - b.r[1] <= 40;

// roomIn gives how high what is written in a blank may be, in pixels; 0 for as
// high as one likes.
function roomIn(b) {
  const z = pixels();
  if (!b || b.k === 'comb') return 0;
  if (open.of.step) return (rulesOf(b) + 0.5) * open.of.step * z;
  if (isOneLine(b)) return 2 * open.of.size * z;
  return ['box', 'cell'].includes(b.k) ? (b.r[3] - b.r[1]) * z + 1 : 0;
}

// high gives how high it is, from the top of the blank where that is a frame.
function high() {
  const { box, blank, of } = open;
  if (of.step || isOneLine(blank)) return box.offsetHeight;
  return box.scrollHeight + (open.field ? 0 : Math.max(0, box.offsetTop - blank.r[1] * pixels()));
}

// leastSize is how small letters in a blank get, so that more of them fit.
const leastSize = () =>
  open.field?.k === 'box' ? SMALLEST : Math.max(LEAST * open.wanted, Math.min(SMALLEST, open.wanted));

// fitBlank makes text that is too long for its blank smaller.
function fitBlank() {
  const { blank, editor, of, wanted } = open;
  if (!roomIn(blank) || editor.largest() > 1 || (isOneLine(blank) && !of.step && !editor.isPlain())) return;
  const before = of.size;
  for (of.size = wanted; ; of.size = Math.max(of.size - 0.5, leastSize())) {
    place();
    if (of.size <= leastSize() || high() < roomIn(blank)) break;
  }
  if (of.size !== before) place();
}

// ownWords offers to fill in what belongs into a place for who writes, and into
// all others like it.
function ownWords(b) {
  const { box, sheet } = open;
  open.own = el(
    'button',
    {
      className: 'offer',
      on: {
        pointerdown: (e) => {
          e.preventDefault();
          e.stopPropagation();
        },
        click: () => {
          finish();
          fillIn();
          walk(b.page, b.r[0] + 1, b.y - 2, false);
        },
      },
    },
    'Fill in ',
    el('b', {}, valueOf(b)),
  );
  Object.assign(open.own.style, { left: `${open.x * pixels()}px`, top: `${box.offsetTop + box.offsetHeight + 6}px` });
  sheet.box.append(open.own);
}

// A place of lines, or of one line, holds what has room in it, at its least
// size. What is typed or pasted beyond that waits, where it cannot be lost, until
// one goes on on a page that is added; what stands at the end gives way to what
// is put in before it, and comes back when there is room again.
const holds = () => open.blank?.i && roomIn(open.blank) > 0;
const isOver = () => open.of.size <= leastSize() && high() >= roomIn(open.blank);

function keepInside() {
  if (!holds() || open.shedding) return;
  const { editor } = open,
    more = editor.letters() - open.letters,
    behind = editor.atEnd();
  open.shedding = true;
  let rest = open.rest ?? '';
  if (rest && behind && more > 0)
    rest += editor.cut(more); // it goes on behind what waits
  else {
    if (rest && more < 0) {
      editor.append(rest);
      rest = '';
      fitBlank();
    }
    let shed = '';
    for (let n = 0; isOver() && n < 4000; n++) shed = editor.cut(0) + shed;
    rest = behind ? rest + shed : shed + rest;
  }
  open.shedding = false;
  open.letters = editor.letters();
  if (open.blank.z && rest) toast('There is room for no more here.');
  else tooMuch(rest);
}

// tooMuch says that the place is full, and offers the way on.
function tooMuch(rest) {
  if (rest === (open.rest ?? '')) return;
  open.rest = rest;
  drafts.keep(about(), `rest/${open.blank.i}`, rest.trim() ? rest : null);
  open.full?.remove();
  open.full = null;
  const text = rest.trim();
  if (!text) return;
  const { box, sheet } = open;
  open.full = el(
    'div',
    { className: 'full-place', role: 'status' },
    el('span', {}, 'This place is full. It waits: ', el('q', {}, text.length > 40 ? `… ${text.slice(-40)}` : text)),
    el(
      'button',
      { className: 'button next', on: { mousedown: (e) => e.preventDefault(), click: goOn } },
      'Go on on a new page',
    ),
    el('small', {}, 'or make it shorter here'),
  );
  Object.assign(open.full.style, {
    left: `${Math.min(open.x * pixels(), sheet.w * pixels() - 300)}px`,
    top: `${box.offsetTop + box.offsetHeight + 6}px`,
  });
  sheet.box.append(open.full);
}

// goOn goes on writing on a page that is added to the copy, with what waits.
function goOn() {
  const { blank, rest } = open,
    to = goesOn(blank);
  if (!to) return;
  drafts.drop(about(), `rest/${blank.i}`);
  open.rest = '';
  finish();
  goTo(to.page, to.r[1]);
  instruments.type.into(to, sheetOf(to.page));
  const waits = rest.replace(/^\s+/, '');
  if (open && waits) {
    open.editor.append(waits);
    open.editor.toEnd();
  }
}

// dress changes the look of what is selected in the box ('some' of it), or of
// all of it.
export function dress(change) {
  if (!open) return false;
  const { box, editor, of } = open;
  editor.focus();
  const some = !('align' in change || 'fill' in change) && editor.dress(change);
  if (!some) {
    Object.assign(of, change);
    if (change.size) open.wanted = change.size;
    if (change.align && !open.width) open.width = Math.max(Math.round(box.offsetWidth / pixels()), 40);
  }
  place();
  keep();
  return some ? 'some' : 'all';
}

// lookNow gives the look of what is selected in the box, or is typed next; null
// when no box is open.
export const lookNow = () => open && { ...open.of, ...open.editor.look(), smaller: open.of.size < open.wanted };

// raise raises (1) or lowers (-1) what is selected or is typed next.
export function raise(way) {
  open?.editor.focus();
  if (open) shift(open.editor, way);
}

// insert types a sign where the caret is, in the box that is open.
export function insert(sign) {
  if (!open) return false;
  open.editor.focus();
  open.editor.insert(sign);
  return true;
}

// put writes words where the caret is, in the box that is open.
export function put(text) {
  if (!open) return;
  open.editor.focus();
  open.editor.put(text);
}

// keep makes an operation of what stands in the box.
export function keep() {
  if (!open) return;
  clearTimeout(open.timer);
  open.timer = null;
  try {
    write();
  } finally {
    hold('typing', false);
  }
}

function write() {
  const { id, sheet, box, before, merge, of } = open;
  const { lines, width } = read(box);
  const now = find(id)?.mark ?? null;
  if (!lines.some((l) => l.runs.some((r) => r.text.trim()))) {
    if (now) set(id, null, { before, merge });
    return;
  }
  const body = {
    x: open.x,
    y: open.y,
    width,
    lines: open.comb ? combLines(open.field, open.of, linesOf(lines).join('')) : lines,
  };
  for (const [k, v] of Object.entries({
    lang: /\p{Script=Han}/u.test(wordsOf(lines)) ? han() : undefined,
    box: open.width,
    align: of.align,
    fill: of.fill,
    turn: open.turn,
    step: of.step,
  }))
    if (v) body[k] = v;
  const { field } = open,
    whole = field
      ? {
          field: field.f,
          values: [wordsOf(lines) + goneOn(field)],
          rect: field.r,
          text: body,
        }
      : body;
  if (JSON.stringify(now?.body) === JSON.stringify(whole)) return;
  const mark = { ...(now ?? before ?? {}), id, page: sheet.number, kind: field ? 'widget' : 'freetext', body: whole };
  if (!now && !before) {
    if (marks.mode.helper) mark.helper = marks.mode.helper;
    if (open.blank) mark.blank = open.blank.i;
  }
  set(id, mark, { before, merge, written: true });
  for (const g of find(id)?.groups ?? []) g.style.visibility = 'hidden';
}

// wordsOf gives what lines say, with the breaks that the writer made.
export const wordsOf = (lines) =>
  linesOf(lines)
    .map((words, i) => words + (lines[i].hard && i < lines.length - 1 ? '\n' : ''))
    .join('');

// goneOn gives what of a field's value stands on pages that were added: the
// field keeps one value, of which it shows what fits.
export const goneOn = (b) =>
  [...marks.shown.values()]
    .filter((e) => e.mark.kind === 'freetext' && e.mark.blank === b.i && e.mark.page > b.page && !e.conflict)
    .sort((a, c) => a.mark.page - c.mark.page)
    .map((e) => ` ${wordsOf(e.mark.body.lines)}`)
    .join('');

// follows brings the value of a field in line with what goes on of it elsewhere.
function follows(blank) {
  const e =
    blank &&
    [...marks.shown.values()].find(
      (x) => x.mark.kind === 'widget' && x.mark.blank === blank.i && x.mark.page < blank.page,
    );
  if (!e?.mark.body.text) return;
  const values = [wordsOf(e.mark.body.text.lines) + goneOn({ ...blank, page: e.mark.page })];
  if (values[0] !== e.mark.body.values[0])
    set(e.mark.id, { ...e.mark, body: { ...e.mark.body, values } }, { written: true });
}

// combLines sets each letter in the middle of its part.
export function combLines(field, of, text) {
  const z = pixels(),
    part = (field.r[2] - field.r[0]) / field.m,
    first = (part - widthOf('0', of.size * z) / z) / 2;
  return [
    {
      x: round(first),
      runs: [...text].map((letter) => ({ text: letter, size: of.size, color: of.color, font: 'mono', w: round(part) })),
    },
  ];
}

export function finish() {
  if (!open) return;
  dismiss();
  keep();
  const { box, editor, id, blank, full, own } = open;
  open = null;
  full?.remove();
  own?.remove();
  editor.close();
  strip.hide();
  box.remove();
  for (const g of find(id)?.groups ?? []) g.style.visibility = '';
  if (blank?.i && !find(id)) tidy(blank);
  follows(blank);
}

document.addEventListener('visibilitychange', () => {
  if (document.hidden) keep();
});
window.addEventListener('pagehide', keep);
