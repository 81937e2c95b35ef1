// inwords has the sheet in words: one column of headings, paragraphs, tables, pictures
// and fields, in the order in which they are read. It stands beside the page and says
// the same: what is typed there is the mark on the page, and the other way round. Where
// the page is shown, it is there for those who do not see it.

import { place } from './places.js';
import { standsIn, textIn, together } from './answers.js';
import { guided } from './blanks.js';
import { core } from './core.js';
import { boundsOf, described } from './described.js';
import { dye, isDyed } from './dyed.js';
import * as margin from './margin.js';
import { add, marks, set, together as atOnce } from './marks.js';
import { ask } from './net.js';
import { tell } from './told.js';
import { el, icon, node } from './paint.js';
import { instruments } from './pointer.js';
import { keep, settings } from './settings.js';
import { goTo, pictureAt, sheetOf, surface, words } from './surface.js';
import { finish } from './type.js';

const screen = document.querySelector('[data-screen]'),
  root = document.querySelector('[data-inwords]'),
  column = root.querySelector('[data-column]'),
  press = document.querySelector('[data-do="words"]');
const AT = 150; // the scale of pictures that are cut from the page
const ROOM = 8; // points between a picture and the circle about it
const AHEAD = 40; // pages whose words are fetched before they are looked at
const idle = (f) =>
  window.requestIdleCallback ? window.requestIdleCallback(f, { timeout: 2000 }) : setTimeout(f, 200);

let pages = [], // {number, box, places, bits, pieces: [{box, extra, question, of}], taken, pictures}
  fetched = { sheet: 0, pieces: null },
  built = null;

export const shown = () => screen.classList.contains('in-words');

// begin fetches the words of a sheet, once.
export async function begin(view) {
  await core.loaded;
  if (fetched.sheet !== view.sheet)
    fetched = { sheet: view.sheet, pieces: ask(`/sheets/${view.sheet}/words`).catch(() => null) };
  const mine = fetched,
    pieces = await mine.pieces;
  if (mine !== fetched || surface.sheet !== view.sheet || !guided().length) return;
  if (!pieces) {
    fetched = { sheet: 0, pieces: null }; // there is no line: it is tried again
    return;
  }
  const as = `${view.sheet} ${view.edit} ${JSON.stringify(guided().map((g) => g.places.length))}`;
  if (built !== as) build(pieces, view);
  built = as;
  sync();
  if (!shown()) await new Promise((ok) => idle(ok));
  for (const s of surface.sheets.slice(0, AHEAD)) await words(s); // to say what marks are at
  sync();
}

function build(pieces, view) {
  pages = pieces.map((all, i) => {
    const page = { number: i + 1, places: [], bits: [], pieces: [], taken: [], pictures: 0 };
    page.box = el('section', { 'aria-label': `Page ${i + 1}`, lang: langOf(i + 1), data: { words: i + 1 } });
    let group = /** @type {any} */ (null); // items of a list, or pictures of which some are taken
    for (const p of all ?? []) {
      const element = piece(p, page, view),
        kind = p.k === 'item' ? 'item' : p.o ? 'choice' : '';
      if (!kind || group?.kind !== kind) {
        const box = kind === 'item' ? el('ul') : kind ? el('div', { className: 'choices-row' }) : element,
          extra = el('div', { className: 'extra' });
        page.box.append(box, extra);
        group = { kind, box, extra };
      }
      if (kind === 'item') group.box.append(el('li', {}, ...element.childNodes));
      else if (kind) group.box.append(element);
      page.pieces.push({ box: p.x, extra: group.extra, question: p.q, of: p });
    }
    return page;
  });
  column.replaceChildren(...pages.map((p) => p.box));
  reach();
}

function piece(p, page, view) {
  const inside = (all) => (all ?? []).flatMap((b) => [b.p ? field(b, page) : text(b, page), ' ']);
  switch (p.k) {
    case 'heading': {
      const level = p.q ? p.h + 1 : 2,
        head = el(`h${level}`, {}, ...(p.s ? [p.s] : inside(p.b)));
      return p.q ? asked(p, head, page, view) : head;
    }
    case 'table':
      return table(p, inside);
    case 'picture':
      return picture(p, page, view);
    default:
      return el('p', {}, ...inside(p.b));
  }
}

// A picture is fetched when it comes near in words, and never where the page is shown.
const near = new IntersectionObserver(
  (seen) => {
    for (const { isIntersecting, target } of seen) {
      if (!isIntersecting || !shown()) continue;
      near.unobserve(target);
      target.removeAttribute('data-waits');
      target.firstElementChild.setAttribute('href', /** @type {SVGElement} */ (target).dataset.shows);
    }
  },
  { root, rootMargin: '100% 0px' },
);

// picture cuts a picture from its page. Where one of several is asked for, it is pressed
// to be taken: that draws a circle around it.
function picture(p, page, view) {
  const s = sheetOf(page.number),
    [l, t, r, b] = p.x,
    says = p.a || `Picture ${(page.pictures += 1)} on page ${page.number}, not described`,
    cut = node('svg', { viewBox: `${l} ${t} ${r - l} ${b - t}`, role: 'img', 'aria-label': says });
  cut.style.width = `${((r - l) / s.w) * 100}%`;
  cut.append(node('image', { width: s.w, height: s.h }));
  cut.dataset.shows = pictureAt(page.number, AT);
  cut.dataset.waits = '';
  near.observe(cut);
  if (!p.o || view.edit !== 'work') return el('figure', {}, cut);
  cut.setAttribute('aria-hidden', 'true');
  const take = el('button', { className: 'take-picture', 'aria-pressed': 'false', 'aria-label': says }, cut);
  cut.style.width = '100%';
  const circles = () =>
    standing(page.number).filter(({ mark }) => {
      const [x0, y0, x1, y1] = mark.body.rect ?? [];
      return mark.kind === 'circle' && (x0 + x1) / 2 > l && (x0 + x1) / 2 < r && (y0 + y1) / 2 > t && (y0 + y1) / 2 < b;
    });
  take.addEventListener('click', () => {
    const there = circles();
    if (there.length)
      atOnce(() => {
        for (const e of there) set(e.mark.id, null, { layer: 'work' });
      });
    else {
      const { color, width, opacity } = settings.shape;
      add(
        'circle',
        page.number,
        { color, width, opacity, rect: [l - ROOM, t - ROOM, r + ROOM, b + ROOM] },
        { layer: 'work' },
      );
    }
  });
  page.taken.push({ circles, show: () => take.setAttribute('aria-pressed', String(circles().length > 0)) });
  return el('figure', { className: 'one-of' }, take);
}

// standing gives what the student has on a page.
const standing = (number) =>
  [...marks.shown.values()].filter((e) => e.layer === 'work' && !e.conflict && e.mark.page === number);

function table(p, inside) {
  const row = (cells, y) =>
    el(
      'tr',
      {},
      ...cells.map((c, x) => {
        const head = p.d && y === 0;
        return el(
          head || (x === 0 && c.every((b) => b.t)) ? 'th' : 'td',
          head ? { scope: 'col' } : x === 0 ? { scope: 'row' } : {},
          ...inside(c),
        );
      }),
    );
  return el('div', { className: 'scrolls' }, el('table', {}, ...p.r.map(row)));
}

// asked makes the head of a question: what it asks, its points, and what can be said.
function asked(p, head, page, view) {
  const q = guided()[page.number - 1]?.questions.find((x) => x.i === p.q),
    tools = el('div');
  tools.append(el('span', { className: 'given', hidden: true }));
  const called = q?.n.replace(/[.()\s]/g, '') || '';
  tools.append(
    el(
      'button',
      { className: 'button quiet', data: { listen: p.q } },
      icon('listen'),
      el('span', {}, `Listen to ${called || 'this question'}`),
    ),
  );
  if (q?.m)
    tools.append(
      el(
        'button',
        { className: 'button quiet', on: { click: () => toPage(page.number, q.r[1]) } },
        icon('pen'),
        `${called ? `Question ${called}` : 'This question'} on the page`,
      ),
    );
  if (view.edit)
    tools.append(
      el(
        'button',
        {
          className: 'button quiet',
          on: { click: () => instruments.note.write(page.number, { at: [p.x[2], p.x[1] + 6], quote: q?.t ?? '' }) },
        },
        icon('note'),
        el('span', {}, `Note at ${called || 'this question'}`),
      ),
    );
  return el('div', { className: 'asks', data: { asks: p.q } }, head, tools);
}

// text makes the words of a bit, which marks on the page may dye.
function text(b, page) {
  const span = el('span', { className: 'printed', data: { from: b.f ?? 0 } }, b.t);
  page.bits.push({ span, from: b.f ?? 0, words: b.t.split(' '), was: '' });
  return span;
}

function field(b, page) {
  const of = guided()[page.number - 1]?.places[b.p - 1];
  if (!of) return '';
  const one = place({ ...of, page: page.number, place: b.p - 1 }, b.n, { toPage, shown });
  page.places.push(one);
  if (!marks.view.teacher) return one.box;
  one.wants = el('small', { className: 'wants', hidden: true });
  return el('span', {}, one.box, one.wants);
}

// toPage shows a part of the page itself.
export function toPage(number, y) {
  show(false);
  goTo(number, y);
  surface.desk.focus({ preventScroll: true });
}

// sync brings everything in line with what is on the copy.
let waits = 0;
export function soon() {
  if (!built) return;
  if (shown()) {
    waits ||= requestAnimationFrame(() => {
      waits = 0;
      sync();
    });
    return;
  }
  clearTimeout(later);
  later = /** @type {any} */ (setTimeout(() => idle(sync), REST)); // the hand comes first
}
let later = 0;
const REST = 900; // milliseconds without a change, where the page is shown

// writtenIn gives what is written in a place; a tick is no writing.
const writtenIn = (of) => (of.k === 'tick' ? '' : textIn(of));

// held gives the places of a page, with what is written in them.
const held = (page) => page.places.map((p) => ({ r: p.of.r, name: p.name, text: writtenIn(p.of) }));

function sync() {
  together(bring);
}

function bring() {
  const all = [...marks.shown.values()].filter((e) => !e.conflict);
  for (const page of pages) {
    for (const p of page.places) p.show();
    wanted(page);
    for (const one of page.taken) one.show();
    const here = all.filter((e) => e.mark.page === page.number),
      s = sheetOf(page.number);
    dye(page.bits, here, s?.printed);
    const answers = new Set([...page.places.flatMap((p) => standsIn(p.of)), ...page.taken.flatMap((x) => x.circles())]),
      said = held(page),
      at = new Map(page.pieces.map((p) => [p, []]));
    for (const e of here) {
      if (answers.has(e) || ['note', 'reply', 'paper'].includes(e.mark.kind)) continue;
      const to = nearest(page, boundsOf(e));
      if (to) at.get(to).push(e);
    }
    for (const [p, entries] of at) {
      const say = (all) => described(all, said, s?.printed),
        seen = say(entries.filter((e) => !isDyed(e))),
        dyed = say(entries.filter(isDyed)), // which those who see it need not be told
        now = [...seen, '', ...dyed].join('\n');
      if (p.lines === now) continue;
      p.lines = now;
      p.list?.remove();
      const line = (sort) => (l) => el('li', { className: sort }, l);
      p.list =
        seen.length + dyed.length
          ? el(
              'ul',
              { className: seen.length ? 'marks-here' : 'sr-only' },
              ...seen.map(line('')),
              ...dyed.map(line('sr-only')),
            )
          : null;
      if (p.list) p.extra.prepend(p.list);
    }
  }
  given();
  house();
  tellOf(all);
}

// wanted shows who marks what is expected in each place, and how it compares.
const COMPARES = { agrees: 'as expected', differs: 'differs', 'cannot say': 'look' };
function wanted(page) {
  if (!marks.view.teacher) return;
  const judged = new Map((marks.view.found ?? []).flatMap((f) => (f.blanks ?? []).map((b) => [b.id, b])));
  for (const p of page.places) {
    const j = judged.get(p.of.i);
    if (!p.wants) continue;
    p.wants.hidden = !j?.wants;
    p.wants.dataset.is = j?.is ?? '';
    p.wants.textContent = j?.wants ? `expected ${j.wants}: ${COMPARES[j.is] ?? j.is}` : '';
  }
}

// tellOf tells what somebody has just made or taken away themselves; what is typed they
// hear anyway.
let known = new Map(),
  knownOf = '';
function tellOf(all) {
  const { view } = marks,
    of = `${view.copy} ${view.attempt}`,
    now = new Map(
      all
        .filter((e) => e.mine && !['reply', 'paper', 'widget', 'freetext'].includes(e.mark.kind))
        .map((e) => [e.mark.id, e]),
    );
  if (of === knownOf) {
    for (const [id, e] of now) {
      if (known.has(id)) continue;
      const page = pages[e.mark.page - 1],
        said = page ? held(page) : [];
      tell(
        e.mark.kind === 'note'
          ? 'Note kept'
          : described([e], said, sheetOf(e.mark.page)?.printed)[0].replace(' by you', ''),
      );
    }
    if ([...known.keys()].some((id) => !now.has(id))) tell('Taken away');
  }
  known = now;
  knownOf = of;
}

// nearest gives the piece of a page that something belongs to: the last that begins
// above its middle.
function nearest(page, r) {
  const middle = (r[1] + r[3]) / 2;
  let best = page.pieces[0];
  for (const p of page.pieces) if (p.box[1] <= middle + 4 && p.box[1] >= best.box[1]) best = p;
  return best;
}

// given says the points of the questions.
function given() {
  const { view } = marks;
  for (const tag of column.querySelectorAll('.given')) {
    const { asks } = tag.closest('.asks').dataset,
      q = view.questions?.find((x) => x.id === asks),
      box = /** @type {HTMLInputElement} */ (document.querySelector(`[data-top] [data-question="${asks}"]`)),
      has = q && (view.teacher ? (box?.value ?? '') : view.feedback === view.attempt ? q.given : '');
    tag.hidden = !q || !(view.teacher ? box : has);
    if (tag.hidden) continue;
    const says = has ? `${has} of ${q.of}` : `no points yet, of ${q.of}`;
    if (tag.textContent === says) continue;
    tag.replaceChildren(
      view.teacher
        ? el(
            'button',
            {
              className: 'button quiet',
              on: {
                click: () => {
                  screen.classList.add('notes-open');
                  box.focus();
                  box.select();
                },
              },
            },
            says,
          )
        : says,
    );
  }
}

// house puts the cards of notes to their questions while the words are shown.
function house() {
  if (!shown()) return;
  for (const { card, page, at } of margin.cards()) {
    const p = pages[page - 1],
      to = p && nearest(p, [...at, ...at]);
    if (to && card.parentElement !== to.extra) to.extra.append(card);
  }
}
document.addEventListener('said', house);

// reach lets Tab go through the fields only where they are seen.
function reach() {
  const on = shown();
  for (const n of column.querySelectorAll('input, textarea, select, button')) n.tabIndex = on ? 0 : -1;
}

// show shows the sheet in words, or its pages.
export function show(on) {
  finish();
  document.querySelector('.offers-words')?.remove();
  const from = current();
  screen.classList.toggle('in-words', on);
  press.setAttribute('aria-pressed', String(on));
  root.setAttribute('role', on ? 'main' : 'region');
  surface.desk.inert = on;
  reach();
  for (const cut of column.querySelectorAll('[data-waits]')) {
    near.unobserve(cut); // what was seen before they were shown does not count
    near.observe(cut);
  }
  if (on) house();
  else margin.gatherHome();
  if (on) to(from);
  else if (from) goTo(from.number, from.y);
  margin.arrange();
}

// current gives which part of which page is seen now.
export function current() {
  if (!shown()) {
    if (surface.desk.scrollTop < 40) return { number: 1, y: 0 };
    const frame = surface.desk.getBoundingClientRect(),
      s = surface.sheets.find((x) => x.box.getBoundingClientRect().bottom > frame.top + 40);
    if (!s) return null;
    const r = s.box.getBoundingClientRect();
    return { number: s.number, y: Math.max(0, ((frame.top + 40 - r.top) / r.height) * s.h) };
  }
  const top = root.getBoundingClientRect().top;
  for (const page of pages)
    for (const p of page.pieces)
      if (p.extra.getBoundingClientRect().bottom > top + 8) return { number: page.number, y: p.box[1] };
  return null;
}

function to(place) {
  const page = place && pages[place.number - 1];
  if (!page?.pieces.length || (place.number === 1 && place.y < 60)) {
    root.scrollTop = 0;
    return;
  }
  const { extra } = nearest(page, [0, place.y, 0, place.y]);
  root.scrollTop = Math.max(0, extra.offsetTop - 80);
}

// choose shows one of both views, and remembers it.
export function choose(on) {
  settings.view = on ? 'words' : 'page';
  keep();
  show(on);
}
press.addEventListener('click', () => choose(!shown()));

// look sets letters, lines and colours as the person has them.
const SIZES = [15, 17, 19, 22, 26, 32, 40]; // CSS pixels
export function look() {
  const size = SIZES[Math.min(SIZES.length - 1, Math.max(0, settings.letters + 2))];
  root.style.setProperty('--letters', `${size / 16}rem`);
  root.classList.toggle('wide', settings.wide);
  root.classList.toggle('loose', settings.loose);
  root.dataset.face = settings.face;
  root.dataset.paper = settings.paper;
  for (const b of root.querySelectorAll('[data-look]')) {
    const { look: what } = b.dataset;
    if (what === 'wide' || what === 'loose') b.setAttribute('aria-pressed', String(settings[what]));
    if (what === 'smaller') b.disabled = settings.letters <= -2;
    if (what === 'larger') b.disabled = settings.letters >= SIZES.length - 3;
    if (b instanceof HTMLSelectElement) b.value = settings[what];
  }
}
root.querySelector('[data-looks]').addEventListener('click', (e) => {
  const what = /** @type {HTMLElement} */ (e.target).closest('button')?.dataset.look;
  if (!what) return;
  if (what === 'page') {
    choose(false);
    press.focus();
    return;
  }
  if (what === 'smaller') settings.letters -= 1;
  else if (what === 'larger') settings.letters += 1;
  else settings[what] = !settings[what];
  keep();
  look();
});
root.querySelector('[data-looks]').addEventListener('change', (e) => {
  const { value, dataset } = /** @type {HTMLSelectElement} */ (e.target);
  settings[dataset.look] = value;
  keep();
  look();
});

// first shows the view that the person chose last; on a telephone held upright the
// words are offered first.
export function first() {
  look();
  if (settings.view === 'words' || location.hash === '#words') show(true);
  else if (!settings.view && window.innerWidth <= 480 && window.innerHeight > window.innerWidth) offer();
}

function offer() {
  const band = el('div', { className: 'mode offers-words', role: 'group', 'aria-label': 'How to read this sheet' });
  const answer = (on) => () => {
    band.remove();
    choose(on);
  };
  band.append(
    el('span', {}, 'In words it fits this screen.'),
    el('button', { className: 'button dark', on: { click: answer(true) } }, 'Show it so'),
    el('button', { className: 'button', on: { click: answer(false) } }, 'The page'),
  );
  surface.desk.before(band);
  surface.desk.addEventListener('pointerdown', () => band.remove(), { once: true }); // the page is worked on
}

// tokensOf gives what is read aloud of a piece: its printed words, by their numbers on
// the page, and what stands in its places; a table by rows, each cell with its head.
function tokensOf({ of }, page) {
  const out = /** @type {any[]} */ ([]);
  const add = (bits) => {
    for (const b of bits ?? [])
      if (b.p) {
        const one = page.places.find((x) => x.of.place === b.p - 1);
        if (one) out.push({ t: writtenIn(one.of), p: true, one });
      } else b.t.split(' ').forEach((t, i) => out.push({ t, page: page.number, word: (b.f ?? 0) + i }));
  };
  const pause = (sign) => {
    if (out.length) out.push({ t: sign });
  };
  if (of.s) for (const t of of.s.split(' ')) out.push({ t });
  add(of.b);
  for (const [y, row] of (of.r ?? []).entries()) {
    if (of.d && y === 0) continue; // they are said with each cell
    row.forEach((cell, x) => {
      if (of.d && x > 0) add(of.r[0][x]);
      add(cell);
      pause('–');
    });
    pause('.');
  }
  return out;
}

// passages gives what is read aloud, piece by piece: of a question alone, or from a
// piece of a page on.
export function passages({ question, number, y = 0 } = /** @type {any} */ ({})) {
  const all = pages.flatMap((page) => page.pieces.map((p) => ({ p, page })));
  let from = all.findIndex(({ p, page }) =>
      question ? p.question === question : page.number === number ? p.box[3] > y + 1 : page.number > (number ?? 0),
    ),
    to = all.length;
  if (from < 0) from = 0;
  if (question) {
    const level = all[from].p.of.h;
    const end = all.findIndex(({ p }, i) => i > from && p.question && p.of.h <= level);
    if (end > 0) to = end;
  }
  return all
    .slice(from, to)
    .map(({ p, page }) => ({ tokens: tokensOf(p, page), lang: langOf(page.number) }))
    .filter((x) => x.tokens.length);
}

// withWord gives the passage that a printed word is in, and which of its tokens it is.
export function withWord(number, word) {
  const page = pages[number - 1];
  for (const p of page?.pieces ?? []) {
    const tokens = tokensOf(p, page),
      token = tokens.findIndex((t) => t.word === word);
    if (token >= 0) return { passage: { tokens, lang: langOf(number) }, token };
  }
  return null;
}

export const langOf = (number) => guided()[number - 1]?.lang || marks.view.lang || '';

// rangeOf gives where a printed word stands in the column.
export function rangeOf(number, word) {
  const bit = pages[number - 1]?.bits.find((b) => word >= b.from && word < b.from + b.words.length);
  if (!bit) return null;
  const nth = word - bit.from;
  const at = bit.words.slice(0, nth).reduce((n, w) => n + w.length + 1, 0),
    end = at + bit.words[nth].length,
    range = document.createRange(),
    walk = document.createTreeWalker(bit.span, NodeFilter.SHOW_TEXT);
  let before = 0,
    begun = false;
  while (walk.nextNode()) {
    const n = /** @type {Text} */ (walk.currentNode),
      long = n.data.length;
    if (!begun && at < before + long) {
      range.setStart(n, at - before);
      begun = true;
    }
    if (begun && end <= before + long) {
      range.setEnd(n, end - before);
      return range;
    }
    before += long;
  }
  return null;
}

// chosen gives the run of printed words that is selected in the column, or null.
export function chosen() {
  const s = getSelection();
  if (s.isCollapsed || !column.contains(s.anchorNode)) return null;
  const range = s.getRangeAt(0),
    spans = [...column.querySelectorAll('.printed')].filter((n) => range.intersectsNode(n));
  if (!spans.length) return null;
  const number = +spans[0].closest('section').dataset.words,
    here = spans.filter((n) => +n.closest('section').dataset.words === number);
  const upTo = (n, container, offset) => {
    if (!n.contains(container)) return null;
    const r = document.createRange();
    r.selectNodeContents(n);
    r.setEnd(container, offset);
    return String(r);
  };
  const gaps = (t) => (t.match(/ /g) ?? []).length,
    from = (n) => +n.dataset.from,
    before = upTo(here[0], range.startContainer, range.startOffset),
    last = here.at(-1),
    within = upTo(last, range.endContainer, range.endOffset);
  const a = from(here[0]) + (before === null ? 0 : gaps(before)),
    z = from(last) + (within === null ? gaps(last.textContent) + 1 : gaps(within.trimEnd()) + (within.trim() ? 1 : 0));
  const run = core.span(number, a, z);
  return run && { sheet: sheetOf(number), run, words: [a, z], top: range.getBoundingClientRect().top, text: String(s) };
}
