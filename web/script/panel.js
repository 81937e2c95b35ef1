// panel lies over the margin: the contents list of the file, the list of
// everything on the copy, and the search in printed words and in what was
// written.

import { el, icon, node } from './paint.js';
import { goTo, surface, words } from './surface.js';
import { marks } from './marks.js';
import { heads } from './leads.js';
import { section } from './states.js';
import { activate, show } from './margin.js';
import { pick } from './pick.js';
import { hand } from './pointer.js';
import { linesOf } from './rich.js';
import { bare } from './prosaic.js';

const box = document.querySelector('[data-panel]');
let which = '';

export function close() {
  if (box.hidden) return;
  box.hidden = true;
  which = '';
  unlight();
  document.querySelector(`[data-do="${box.dataset.of}"]`)?.setAttribute('aria-expanded', 'false');
}

export function open(name) {
  if (which === name) {
    close();
    return;
  }
  close();
  which = name;
  box.dataset.of = name;
  document.querySelector(`[data-do="${name}"]`)?.setAttribute('aria-expanded', 'true');
  const titles = { contents: 'Contents', list: 'Everything on this copy', find: 'Find' };
  const body = el('div', { className: 'body' });
  box.setAttribute('aria-label', titles[name]);
  box.replaceChildren(
    el(
      'header',
      {},
      el('h2', {}, titles[name]),
      el(
        'button',
        {
          className: 'button quiet',
          'aria-label': 'Close',
          on: {
            click: () => {
              close();
              document.querySelector(`[data-do="${name}"]`)?.focus();
            },
          },
        },
        icon('cross'),
      ),
    ),
    body,
  );
  box.hidden = false;
  ({ contents, list, find })[name](body);
}
box.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') {
    e.stopPropagation();
    close();
  }
});

// contents has a line for each entry of the file's own contents list. It lies
// over the page on a narrow screen, and goes when one has chosen.
function contents(body) {
  const choose = (h) => {
    goTo(h.page, h.y);
    if (matchMedia('(max-width: 1100px)').matches) close();
  };
  body.replaceChildren(
    ...heads().map((h) =>
      el(
        'button',
        { className: 'line head-of', data: { depth: Math.min(h.d ?? 0, 4) }, on: { click: () => choose(h) } },
        el('span', {}, h.t),
        el('b', {}, String(h.page)),
      ),
    ),
  );
}

const KINDS = {
  freetext: 'Text',
  ink: 'Drawing',
  highlight: 'Highlight',
  underline: 'Underline',
  strikeout: 'Crossed out',
  line: 'Line',
  polyline: 'Line',
  square: 'Box',
  circle: 'Ellipse',
  stamp: 'Stamp',
  picture: 'Picture',
  widget: 'Field',
  note: 'Note',
  reply: 'Reply',
  paper: 'Page',
};
const text = (m) =>
  m.kind === 'freetext'
    ? linesOf(m.body.lines).join(' ')
    : m.kind === 'widget'
      ? m.body.values.join(', ')
      : bare(m.body.text ?? m.body.name ?? '', m.body.rich);
const colorOf = (m) => m.body.color ?? m.body.lines?.[0]?.runs[0]?.color;

export const called = (m) =>
  [KINDS[m.kind].toLowerCase(), text(m) && `“${text(m).slice(0, 40)}”`].filter(Boolean).join(' ');

function go(e) {
  const b = e.mark.kind === 'note' ? e.mark.body.at[1] : null;
  const y = b ?? e.groups[0]?.getBBox?.().y ?? 0;
  goTo(e.mark.page, y);
  if (e.mark.kind === 'note') activate(e.mark.id);
  else if (hand.name === 'pick') pick(e);
  for (const g of e.groups) {
    g.classList.add('shown-off');
    setTimeout(() => g.classList.remove('shown-off'), 1600);
  }
}

// list has a line for each mark, by page, filtered by kind and by colour.
function list(body) {
  let kind = '',
    color = '';
  const kept = section((state) => state(body, () => list(body)), called);
  const all = () =>
    [...marks.shown.values()]
      .filter((e) => e.mark.kind !== 'reply' && e.layer !== 'sheet')
      .sort((a, b) => a.mark.page - b.mark.page || (a.mark.id < b.mark.id ? -1 : 1));
  const show = () => {
    const ones = all(),
      kinds = [...new Set(ones.map((e) => KINDS[e.mark.kind]))],
      colors = [...new Set(ones.map((e) => colorOf(e.mark)).filter(Boolean))];
    const chip = (words, on, run) =>
      el('button', { className: 'kind', 'aria-pressed': String(on), on: { click: run } }, words);
    const dot = (c) => {
      const b = el('button', {
        className: 'swatch',
        'aria-label': `Colour ${c}`,
        'aria-pressed': String(c === color),
        on: {
          click: () => {
            color = color === c ? '' : c;
            show();
          },
        },
      });
      b.style.background = c;
      return b;
    };
    const seen = ones.filter((e) => (!kind || KINDS[e.mark.kind] === kind) && (!color || colorOf(e.mark) === color));
    const rows = [];
    for (const e of seen) {
      if (rows.at(-1)?.page !== e.mark.page)
        rows.push({ page: e.mark.page, node: el('h3', {}, `Page ${e.mark.page}`) });
      const c = colorOf(e.mark),
        i = el('i', { className: 'dyed' });
      i.style.background = c ?? 'transparent';
      const words = text(e.mark) || (e.mark.body.voice ? 'spoken' : '');
      rows.push({
        page: e.mark.page,
        node: el(
          'button',
          { className: 'line', on: { click: () => go(e) } },
          i,
          el('b', {}, KINDS[e.mark.kind]),
          el(
            'span',
            {},
            [
              words,
              e.mark.body.meaning,
              e.mark.helper && `by ${e.mark.helper}`,
              marks.view.way === 'shared' && (e.mine ? 'yours' : e.by),
              e.layer === 'own' && 'only for you',
            ]
              .filter(Boolean)
              .join(' · '),
          ),
        ),
      });
    }
    body.replaceChildren(
      kept ?? '',
      kinds.length > 1
        ? el(
            'div',
            { className: 'row' },
            chip('All', !kind, () => {
              kind = '';
              show();
            }),
            ...kinds.map((k) =>
              chip(k, k === kind, () => {
                kind = kind === k ? '' : k;
                show();
              }),
            ),
          )
        : '',
      colors.length > 1 ? el('div', { className: 'row' }, ...colors.map(dot)) : '',
      ...(rows.length
        ? rows.map((r) => r.node)
        : [el('p', { className: 'hint' }, ones.length ? 'Nothing of that kind.' : 'Nothing stands on this copy yet.')]),
    );
  };
  show();
}

let lit = [];
function unlight() {
  for (const n of lit) n.remove();
  lit = [];
}

// plain is what is searched: without capitals, and with raised and lowered digits as they
// are typed, letter for letter.
const SHIFTED = '⁰¹²³⁴⁵⁶⁷⁸⁹₀₁₂₃₄₅₆₇₈₉',
  plain = (s) =>
    s
      .toLowerCase()
      .replace(/[⁰¹²³⁴-⁹₀-₉⁻⁺]/g, (c) => (c === '⁻' ? '-' : c === '⁺' ? '+' : String(SHIFTED.indexOf(c) % 10)));

// find searches the printed words of all pages, and what was written on them.
function find(body) {
  const field = el('input', {
      className: 'field',
      type: 'search',
      placeholder: 'Words on the pages',
      'aria-label': 'Words on the pages',
    }),
    found = el('div', { role: 'status' });
  body.replaceChildren(field, found);
  field.focus();
  let timer = 0;
  field.addEventListener('input', () => {
    clearTimeout(timer);
    timer = setTimeout(look, 200);
  });
  async function look() {
    const q = plain(field.value.trim());
    unlight();
    if (!q) {
      found.replaceChildren();
      return;
    }
    found.replaceChildren(el('p', { className: 'hint' }, 'Looking…'));
    await Promise.all(surface.sheets.map((s) => words(s)));
    if (q !== plain(field.value.trim())) return;
    const hits = [];
    for (const s of surface.sheets) {
      for (const line of s.print.querySelectorAll('text')) {
        const all = line.textContent,
          low = plain(all);
        for (let i = low.indexOf(q); i >= 0; i = low.indexOf(q, i + q.length)) {
          const range = document.createRange(),
            box = s.box.getBoundingClientRect(),
            k = box.height / s.h;
          within(range, line, i, i + q.length);
          const r = range.getBoundingClientRect();
          const at = { x: (r.left - box.left) / k, y: (r.top - box.top) / k, w: r.width / k, h: r.height / k };
          const n = node('rect', {
            class: 'found',
            x: at.x - 1,
            y: at.y - 1,
            width: at.w + 2,
            height: at.h + 2,
            rx: 2,
          });
          s.box.querySelector('.over').append(n);
          lit.push(n);
          hits.push({
            page: s.number,
            y: at.y,
            words: `${all.slice(Math.max(0, i - 18), i)}`,
            hit: all.slice(i, i + q.length),
            rest: all.slice(i + q.length, i + q.length + 24),
          });
        }
      }
    }
    for (const e of marks.shown.values())
      if (plain(text(e.mark)).includes(q) && e.mark.kind !== 'highlight')
        hits.push({
          page: e.mark.page,
          entry: e,
          words: `${KINDS[e.mark.kind]}: `,
          hit: text(e.mark).slice(0, 60),
          rest: '',
        });
    hits.sort((a, b) => a.page - b.page || (a.y ?? 0) - (b.y ?? 0));
    found.replaceChildren(
      el('p', { className: 'hint' }, hits.length ? `${hits.length} found` : 'Nothing found.'),
      ...hits
        .slice(0, 200)
        .map((h) =>
          el(
            'button',
            { className: 'line', on: { click: () => to(h) } },
            el('b', {}, `Page ${h.page}`),
            el('span', {}, h.words, el('mark', {}, h.hit), h.rest),
          ),
        ),
    );
  }
  /** @param {any} hit */
  const to = ({ entry, page, y }) => {
    if (entry?.mark.kind === 'reply') show(entry.mark.body.to);
    else if (entry) go(entry);
    else goTo(page, y);
  };
  field.addEventListener('keydown', (e) => {
    if (e.key === 'Enter') {
      e.preventDefault();
      found.querySelector('.line')?.click();
    }
  });
}

// within sets a range over characters from a to b of an element's text.
function within(range, element, a, b) {
  const walk = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  let gone = 0,
    begun = false;
  while (walk.nextNode()) {
    const n = /** @type {Text} */ (walk.currentNode),
      l = n.data.length;
    if (!begun && a < gone + l) {
      range.setStart(n, a - gone);
      begun = true;
    }
    if (begun && b <= gone + l) {
      range.setEnd(n, b - gone);
      return;
    }
    gone += l;
  }
}
