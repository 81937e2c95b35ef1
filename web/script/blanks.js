// blanks has the places to write that were found on the sheet: a faint tint
// while Type is in hand, a click anywhere in one, and the way from one to the
// next by Tab and Shift-Tab, across the pages.

import { core } from './core.js';
import { layer, node } from './paint.js';
import { ask } from './net.js';
import { goTo, pixels, sheetOf, surface } from './surface.js';
import { hand, instruments } from './pointer.js';

const WRITTEN = ['line', 'lines', 'cell', 'box', 'comb', 'room', 'number', 'tick'];
let leads = false, // somebody writes here who is led from place to place
  all = [],
  guides = []; // all places in reading order: {page, r, y, s, k, l}; and all there is by page

// begin finds them; who marks writes beside the answers, so a teacher is not led
// from place to place.
let fetched = { sheet: 0, pages: [] };
let told = null; // the guides that the core has
export async function begin(view) {
  if (fetched.sheet !== view.sheet)
    fetched = { sheet: view.sheet, pages: await ask(`/sheets/${view.sheet}/guide`).catch(() => []) };
  const { pages } = fetched;
  if (surface.sheet !== view.sheet) return; // another copy was opened meanwhile
  guides = pages;
  leads = !view.teacher;
  core.loaded.then(() => {
    if (guides !== pages) return;
    if (told !== pages) pages.forEach((guide, i) => core.setGuide(i + 1, guide));
    told = pages;
    onCounted();
  });
  all = (view.teacher ? [] : pages).flatMap((guide, i) =>
    guide.places.map((b, place) => ({ ...b, page: i + 1, place })).filter((b) => WRITTEN.includes(b.k) || b.o?.length),
  );
  for (const s of surface.sheets) {
    s.paper = null; // its places were not among those
    tint(s);
  }
  onBegin();
}
let onBegin = () => {},
  onCounted = () => {};
/** @param {() => void} f */
export const whenBegun = (f) => {
  onBegin = f;
};
/** @param {() => void} f */
export const whenCounted = (f) => {
  onCounted = f;
};

function tint(s) {
  s.hints?.remove();
  s.hints = layer('hints', s);
  for (const b of all)
    if (b.page === s.number && b.k !== 'room')
      s.hints.append(node('rect', { x: b.r[0], y: b.r[1], width: b.r[2] - b.r[0], height: b.r[3] - b.r[1] }));
  s.marks.before(s.hints);
}

// put adds what a page has to be worked on that was added to the copy.
export function put(page, guide) {
  core.setGuide(page, guide);
  all = all.filter((b) => b.page !== page);
  if (leads) all.push(...guide.places.map((b, place) => ({ ...b, page, place })));
  all.sort((a, b) => a.page - b.page);
  const s = sheetOf(page);
  if (s) tint(s);
}

// letters gives how large letters are on a young child's sheet, which its
// teacher has set for all places; 0 otherwise.
export function letters() {
  const sizes = new Set(
      all.filter((b) => !['tick', 'comb'].includes(b.k) && !b.o && !sheetOf(b.page)?.added).map((b) => b.s),
    ),
    [size] = sizes;
  return sizes.size === 1 && size >= 18 ? size : 0;
}

// personal gives the places for who writes: name, class, date.
export const personal = () => all.filter(isPersonal);
export const isPersonal = (b) => !!b?.h && b.h !== 'notes';

// guided gives all that there is to be worked on, by page.
export const guided = () => guides;

// han is the language of the Chinese characters on the sheet, as far as it tells.
export const han = () => guides.find((g) => g.han)?.han;

// questions gives what the sheet asks under its numbers.
export const questions = () => guides.flatMap((g) => g.questions);

// titleOf says what stands over the part of a page on which a place goes on.
export function titleOf(b) {
  const { question, label } = core.asked(b.page, b.place);
  return `${question} ${label}`.trim() || 'Going on';
}

// goingOn gives the place on which another one goes on, if there is one.
export const goingOn = (b) => all.find((x) => x.i === b.i && x.page > b.page && sheetOf(x.page)?.added);

// blankAt returns the smallest blank that a place on the page is in.
export function blankAt(page, x, y) {
  const size = (b) => (b.r[2] - b.r[0]) * (b.r[3] - b.r[1]);
  return all
    .filter((b) => b.page === page && x >= b.r[0] && x <= b.r[2] && y >= b.r[1] && y <= b.r[3])
    .sort((a, b) => size(a) - size(b))[0];
}

// near returns the blank that a press means, which may come down beside it.
const REACH = { touch: 24, pen: 14, mouse: 14 }; // CSS pixels
export function near(p, e) {
  const page = p.sheet.number;
  return (
    blankOf(page, core.near(page, p, (REACH[e?.pointerType] ?? REACH.mouse) / pixels())) ?? blankAt(page, p.x, p.y)
  );
}

// toDraw gives a place that is to be drawn in or shaded and not written in.
export const toDraw = (p) =>
  leads
    ? guides[p.sheet.number - 1]?.places.find(
        (b) => ['drawing', 'shade'].includes(b.k) && p.x > b.r[0] && p.x < b.r[2] && p.y > b.r[1] && p.y < b.r[3],
      )
    : null;

// empty names the places in which nothing stands yet.
export const empty = () =>
  guides.flatMap((guide, i) => core.empty(i + 1).map((e) => ({ ...e, page: i + 1, y: guide.places[e.place].r[1] })));

// tasks gives the questions that are answered by marks, and how far each is.
export const tasks = () =>
  guides.flatMap((guide, i) =>
    (guide.questions.some((q) => q.m) ? core.tasks(i + 1) : []).map((t) => {
      const { n, t: words, r } = guide.questions[t.question];
      return { ...t, number: n, words, page: i + 1, y: r[1] };
    }),
  );

export const blankOf = (page, place) => all.find((b) => b.page === page && b.place === place);

// counted tells which of how many places one is.
export const counted = (b) => ({ at: b ? all.indexOf(b) + 1 : 0, of: all.length });

// walk goes to the blank behind (or before) a place; false when there is none.
export function walk(page, x, y, back) {
  const here = blankAt(page, x, y);
  let i = here
    ? all.indexOf(here) + (back ? -1 : 1)
    : all.findIndex((b) => b.page > page || (b.page === page && (b.y > y + 3 || (b.y > y - 3 && b.r[0] >= x))));
  if (!here && back) i = (i < 0 ? all.length : i) - 1;
  // With a stamp in the hand one goes from box to box.
  while (hand.name === 'stamp' && all[i] && all[i].k !== 'tick') i += back ? -1 : 1;
  const b = all[i];
  if (!b || i < 0) return false;
  const sheet = sheetOf(b.page),
    seen = surface.desk.getBoundingClientRect(),
    box = sheet.box.getBoundingClientRect(),
    scale = box.height / sheet.h;
  if (box.top + b.r[1] * scale < seen.top || box.top + b.r[3] * scale > seen.bottom) goTo(b.page, b.y);
  instruments.type.into(b, sheet);
  return true;
}

surface.desk.addEventListener('keydown', (e) => {
  if (
    e.key !== 'Tab' ||
    e.target !== surface.desk ||
    !['type', 'signs', 'stamp'].includes(hand.name) ||
    e.ctrlKey ||
    e.altKey
  )
    return;
  const sheet =
    surface.sheets.find((s) => s.box.getBoundingClientRect().bottom > surface.desk.getBoundingClientRect().top) ??
    surface.sheets[0];
  if (!e.shiftKey && walk(sheet.number, 0, 0, false)) e.preventDefault();
});
