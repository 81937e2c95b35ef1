// answers knows what stands in a place of the sheet as words, and writes it there as
// typing on the page would: it is the same mark.

import { han } from './blanks.js';
import { newId } from './ids.js';
import { marks, mayChange, set } from './marks.js';
import { again, LEADING, lookOf } from './rich.js';
import { rulesOf } from './ruling.js';
import { settings } from './settings.js';
import { round, sheetOf } from './surface.js';
import { combLines, goneOn, INSET, isOneLine, LEAST, wordsOf } from './type.js';

const NEAR = 3; // points by which a sign may lie beside the box that it is in
const in_ = (r, x, y, by = 0) => x > r[0] - by && x < r[2] + by && y > r[1] - by && y < r[3] + by;

function isIn(b, { mark: { page, blank, kind, body } }) {
  if (blank) return blank === b.i && page === b.page;
  if (page !== b.page) return false;
  if (kind === 'widget') return body.rect.every((v, i) => Math.abs(v - b.r[i]) < 1);
  if (kind === 'freetext') return in_(b.r, body.x + 1, body.y - 2);
  if (kind !== 'stamp' || b.k !== 'tick') return false;
  return in_(b.r, (body.rect[0] + body.rect[2]) / 2, (body.rect[1] + body.rect[3]) / 2, NEAR);
}

// What may stand in places, by page; kept while many places are asked one after the other.
let kept = /** @type {Map<number, any[]> | null} */ (null);
function sorted() {
  const out = new Map();
  for (const e of marks.shown.values())
    if (e.layer === 'work' && !e.conflict && ['widget', 'freetext', 'stamp'].includes(e.mark.kind))
      out.set(e.mark.page, [...(out.get(e.mark.page) ?? []), e]);
  return out;
}

// together lets f ask for many places of what is shown now.
export function together(f) {
  kept = sorted();
  try {
    f();
  } finally {
    kept = null;
  }
}

// standsIn gives what the student has in a place, from the top down.
export const standsIn = (b) =>
  ((kept ?? sorted()).get(b.page) ?? [])
    .filter((e) => isIn(b, e))
    .sort((a, c) => (a.mark.body.y ?? 0) - (c.mark.body.y ?? 0));

// valuesOf gives what was chosen or ticked there.
export const valuesOf = (b) => standsIn(b).flatMap((e) => e.mark.body.values ?? []);

// textIn gives what is written there.
export const textIn = (b) =>
  standsIn(b)
    .filter((e) => e.mark.kind !== 'stamp')
    .map((e) => {
      const { body } = e.mark;
      if (e.mark.kind === 'widget') return body.text ? wordsOf(body.text.lines) : body.values.join(', ');
      return wordsOf(body.lines);
    })
    .join('\n');

// setText writes a text into a place, in the look of what stands there; one that is too
// long for it gets smaller, as far as letters in it may. It says whether it has room.
export function setText(b, text, merge) {
  const sheet = sheetOf(b.page),
    there = standsIn(b).find(mayChange),
    id = there?.mark.id ?? newId();
  if (!text.trim()) {
    if (there) set(id, null, { merge, layer: 'work' });
    return true;
  }
  const { body, room } = b.k === 'comb' && b.m ? { body: combed(b, text), room: true } : lain(b, sheet, text, there),
    whole = b.f ? { field: b.f, values: [text + goneOn(b)], rect: b.r, text: body } : body;
  const mark = { ...(there?.mark ?? {}), id, page: b.page, kind: b.f ? 'widget' : 'freetext', body: whole };
  if (!there) {
    mark.blank = b.i;
    if (marks.mode.helper) mark.helper = marks.mode.helper;
  }
  set(id, mark, { merge, written: true, layer: 'work' });
  return room;
}

const combed = (b, text) => ({
  x: b.r[0],
  y: b.y,
  width: round(b.r[2] - b.r[0]),
  lines: combLines(b, { size: b.s, color: settings.type.color }, text),
});

// lain lays a text in a place.
function lain(b, sheet, text, there) {
  const was = there?.mark.kind === 'widget' ? there.mark.body.text : there?.mark.body,
    { color, font, bold, italic, under } = was ? lookOf(was) : settings.type,
    { align, fill } = was ?? { align: '', fill: settings.type.fill },
    wide = round(b.r[2] - b.r[0] - 2 * INSET),
    one = isOneLine(b),
    at = { x: was?.x ?? round(b.r[0] + INSET), y: was?.y ?? b.y, width: 0 };
  const lines = (size) =>
    text.split('\n').map((t) => ({ runs: t ? [{ text: t, color, font, bold, italic, under, size }] : [], hard: true }));
  const fits = (set, size) =>
    one
      ? set.width <= wide && set.lines.length < 2
      : b.d
        ? set.lines.length <= rulesOf(b)
        : b.k === 'room' || set.lines.length * LEADING * size < b.r[3] - b.r[1] + 2;
  let size = b.s,
    set = /** @type {any} */ (null);
  for (;;) {
    const now = { ...at, lines: lines(size), ...(b.d ? { step: b.d } : {}) };
    set = again(sheet, now, { box: one ? undefined : Math.max(wide, 20), align, fill });
    if (fits(set, size) || size <= LEAST * b.s) break;
    size = Math.max(size - 0.5, LEAST * b.s);
  }
  if (/\p{Script=Han}/u.test(text) && han()) set.lang = han();
  return { body: set, room: fits(set, size) };
}
