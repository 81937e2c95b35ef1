// papers has the pages that a student added to the copy, behind those of the
// sheet: for more room, for working, or because a place was full.

import { bring as bringPages } from './ownkey.js';
import { core } from './core.js';
import { el, icon, paint } from './paint.js';
import { end, goTo, pixels, put, sheetOf, surface, takeOut } from './surface.js';
import { newId } from './ids.js';
import { marks, set, together } from './marks.js';
import { question } from './dialogs.js';
import { bring } from './pictures.js';
import * as blanks from './blanks.js';
import * as pagenav from './pagenav.js';
import { toast } from './toast.js';

const SIZE = { w: 595.28, h: 841.89 }; // A4, as core/mark has it
const MOST = 40; // pages that can be added
const MOST_GOING_ON = 3; // places that go on on one page
const TITLE = 60; // letters that stand over what goes on
const BEHIND = -1000; // the rank of paper: all else lies on it

const mine = () => marks.view.edit === 'work' && !marks.view.teacher && marks.view.way !== 'read';
let papers = []; // as they were after the last change: moving the page looks through no marks

// follow lays the pages that there are now, and what leads to them.
export function follow() {
  papers = [...marks.shown.values()]
    .filter((e) => e.mark.kind === 'paper' && !e.conflict)
    .sort((a, b) => a.mark.page - b.mark.page || (a.mark.id < b.mark.id ? -1 : 1));
  const wanted = new Map(papers.toReversed().map((e) => [e.mark.page, e]));
  let changed = false;
  for (const s of surface.sheets.filter((x) => x.added && !wanted.has(x.number))) {
    takeOut(s);
    changed = true;
  }
  for (const [number, entry] of wanted) {
    let s = sheetOf(number);
    if (!s) {
      s = put(number, SIZE);
      changed = true;
      for (const e of marks.shown.values()) if (e.mark.page === number) paint(s, e);
      if (mine()) s.box.append(outOf(number));
    }
    if (s.paper === entry.version || !core.ready) continue;
    s.paper = entry.version;
    blanks.put(number, core.paper(entry.version));
  }
  if (changed) {
    surface.sheets.forEach((s, i) => {
      s.called = i + 1;
      s.box.setAttribute('aria-label', `Page ${i + 1}`);
    });
    pagenav.build();
    pagenav.count();
    if (pagenav.now()) pagenav.current(pagenav.now());
  }
  lead();
  offer();
}

// outOf takes a page away again.
const outOf = (number) =>
  el(
    'button',
    {
      className: 'leads paper-out',
      'aria-label': 'Take this page away',
      title: 'Take this page away',
      on: { click: () => remove(number) },
    },
    icon('bin'),
  );

// lead puts the signs that lead to added pages and back.
let led = '';
export function lead() {
  const sheet = marks.view.pages.length,
    signs = core.ready && papers.length ? core.signs(sheet) : [],
    now = JSON.stringify([signs, surface.zoom]);
  if (now === led) return;
  led = now;
  for (const b of surface.desk.querySelectorAll('.leads:not(.paper-out)')) b.remove();
  for (const s of signs) {
    const b = el('button', { className: 'leads', on: { click: () => goTo(s.to) } }, s.text);
    Object.assign(b.style, { left: `${s.at[0] * pixels()}px`, top: `${s.at[1] * pixels()}px` });
    sheetOf(s.page)?.box.append(b);
  }
}

// offer stands behind the last page: another one, of what kind.
let offered = null;
function offer() {
  if (!offered && mine()) {
    const of = el('select', { className: 'field', 'aria-label': 'For which question' });
    const button = (sign, words, run) => el('button', { className: 'button', on: { click: run } }, icon(sign), words);
    const photo = el('input', { className: 'sr-only', type: 'file', accept: 'image/*', id: 'page-photo' });
    photo.addEventListener('change', async () => {
      const [file] = photo.files;
      photo.value = '';
      if (!file) return;
      const s = sheetOf(add('', of.value));
      if (!s) return;
      goTo(s.number);
      await bring(file, null, { sheet: s, whole: true });
    });
    offered = el(
      'section',
      { className: 'another', 'aria-label': 'Add a page' },
      el('strong', {}, 'Add a page'),
      of,
      el(
        'div',
        { className: 'row' },
        button('lines', 'Ruled', () => goTo(add('ruled', of.value))),
        button('aid-grid', 'Squared', () => goTo(add('squared', of.value))),
        button('page', 'Blank', () => goTo(add('', of.value))),
        el('label', { className: 'button', htmlFor: 'page-photo' }, icon('camera'), 'A photograph'),
        photo,
        marks.view.may?.includes('bring')
          ? el(
              'button',
              { className: 'button dark', data: { bring: '' }, on: { click: bringPages } },
              icon('page'),
              'Bring a PDF, or several photographs',
            )
          : null,
      ),
    );
    offered.of = of;
  }
  if (!offered) return;
  offered.hidden = !mine();
  if (offered.parentElement !== surface.sheets[0]?.box.parentElement || offered.nextSibling) end(offered);
  const { of } = offered,
    asked = blanks.questions(),
    now = of.value;
  if (of.options.length !== asked.length + 1) {
    of.replaceChildren(
      el('option', { value: '' }, 'for no question'),
      ...asked.map((q) => el('option', { value: q.i }, `for question ${q.n}`)),
    );
    of.value = now;
  }
  of.hidden = !asked.length;
}

// free gives the number of a further page, 0 when there may be no more.
function free() {
  const n = papers.length;
  if (n < MOST) return Math.max(marks.view.pages.length, ...papers.map((e) => e.mark.page)) + 1;
  toast(`A copy can have ${MOST} further pages, and this one has them.`);
  return 0;
}

// add adds a page, and gives its number.
export function add(ruling, of) {
  const number = free();
  if (!number) return 0;
  const q = blanks.questions().find((x) => x.i === of),
    body = {
      ...(ruling ? { ruling } : {}),
      ...(q ? { question: q.i, title: `Question ${q.n.replace(/[.)]$/, '')}` } : {}),
    };
  const id = newId();
  set(id, { id, page: number, rank: BEHIND, kind: 'paper', body }, { written: true });
  return number;
}

// goesOn gives the place on which a full one goes on, which is made when there
// is none yet: null when there can be none.
export function goesOn(blank) {
  if (!blanks.goingOn(blank)) {
    const title = blanks.titleOf(blank),
      more = { blank: blank.i, title: title.length > TITLE ? `${title.slice(0, TITLE)} …` : title },
      last = papers.findLast(
        (e) =>
          e.mark.page > blank.page &&
          e.mark.body.goesOn?.length &&
          !e.mark.body.goesOn.some((g) => g.blank === blank.i),
      );
    if (last && last.mark.body.goesOn.length < MOST_GOING_ON)
      set(
        last.mark.id,
        { ...last.mark, body: { ...last.mark.body, goesOn: [...last.mark.body.goesOn, more] } },
        { written: true },
      );
    else {
      const number = free(),
        id = newId();
      if (!number) return null;
      set(
        id,
        { id, page: number, rank: BEHIND, kind: 'paper', body: { ruling: 'ruled', goesOn: [more] } },
        { written: true },
      );
    }
  }
  return blanks.goingOn(blank);
}

// tidy takes away what goes on of a place when nothing stands there any more,
// and with the last of it the page.
export function tidy(blank) {
  const e = papers.find((x) => x.mark.page === blank.page && x.mark.body.goesOn?.some((g) => g.blank === blank.i));
  if (!e) return;
  const on = (x) => x.mark.page === e.mark.page && x !== e;
  const written = [...marks.shown.values()].filter(on),
    last = e.mark.body.goesOn.at(-1).blank === blank.i;
  if (written.some((x) => x.mark.blank === blank.i) || !last) return; // those above stay where they are
  const left = e.mark.body.goesOn.slice(0, -1);
  if (left.length) set(e.mark.id, { ...e.mark, body: { ...e.mark.body, goesOn: left } }, { written: true });
  else if (!written.length) set(e.mark.id, null);
}

// remove takes a page away with what stands on it, after one question.
async function remove(number) {
  const e = papers.find((x) => x.mark.page === number),
    on = [...marks.shown.values()].filter((x) => x.mark.page === number && x !== e && x.layer === 'work');
  if (
    on.length &&
    !(await question(
      'Take the page away?',
      `What stands on it goes with it: ${on.length} ${on.length === 1 ? 'thing' : 'things'}. Undo brings everything back.`,
      'Take it away',
    ))
  )
    return;
  together(() => {
    for (const x of on) set(x.mark.id, null);
    set(e.mark.id, null);
  });
}
