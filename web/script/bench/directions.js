// directions is what the teacher says on the sheet itself, so that every copy
// carries it: typed and spoken notes, and highlights.

import { el, icon, node } from '../paint.js';
import { core } from '../core.js';
import { clip } from '../clip.js';
import { record } from '../record.js';
import { newId } from '../ids.js';
import { WASHES } from '../settings.js';
import { change, doc, leaf, url, view } from './doc.js';
import { spot } from './leaves.js';
import { print } from './found.js';
import { outline } from './points.js';
import { button } from './parts.js';

const NAMES = { note: 'Note', voice: 'Voice note', highlighter: 'Highlighter' };
let hand = 'note',
  color = WASHES.yellow,
  draft = null; // draft: what is being written or recorded

export const mode = {
  begin: () => {
    draft = null;
  },
  leave: () => {
    draft?.keep?.();
    draft = null;
  },
  panel,
  paint,
  down,
};

const put = (i, m) =>
  change((leaves) => {
    (leaves[i].said ??= []).push(m);
  });
const mark = (kind, body) => ({ id: newId(), page: 1, kind, body });

function panel() {
  const parts = [
    el(
      'section',
      {},
      el('h2', {}, 'Directions on the sheet'),
      el(
        'p',
        { className: 'hint mb-3' },
        'Choose one and press the page. Every copy carries it, those that are begun too.',
      ),
      el(
        'div',
        { className: 'row' },
        ...Object.entries(NAMES).map(([n, name]) =>
          el(
            'button',
            {
              className: 'kind',
              'aria-pressed': String(hand === n),
              on: {
                click: () => {
                  hand = n;
                  if (n === 'highlighter') print(leaf());
                  doc.onChange(false);
                },
              },
            },
            icon(n),
            name,
          ),
        ),
      ),
      hand === 'highlighter'
        ? el(
            'div',
            { className: 'row mt-3' },
            ...Object.entries(WASHES).map(([name, v]) => {
              const b = el('button', {
                className: 'swatch',
                'aria-label': name,
                title: name,
                'aria-pressed': String(v === color),
                on: {
                  click: () => {
                    color = v;
                    doc.onChange(false);
                  },
                },
              });
              b.style.background = v;
              return b;
            }),
          )
        : null,
      hand === 'highlighter'
        ? null
        : el(
            'div',
            { className: 'row mt-3' },
            button(
              'plus',
              hand === 'note' ? 'Note at the top of this page' : 'Voice note at the top of this page',
              () => begin(doc.at, [40, 40]),
            ),
          ),
    ),
  ];
  if (draft) parts.push(draft.card);
  const all = (leaf().said ?? []).map((m, k) => ({ m, k }));
  if (!all.length && !draft) parts.push(el('p', { className: 'hint' }, 'Nothing is said on this page yet.'));
  for (const { m, k } of all) parts.push(card(m, k));
  return parts;
}

function card(m, k) {
  const i = doc.at,
    b = m.body,
    drop = () =>
      change((leaves) => {
        leaves[i].said.splice(k, 1);
      });
  const bin = el(
    'button',
    { className: 'button quiet', 'aria-label': 'Delete this direction', on: { click: drop } },
    icon('bin'),
  );
  const box = el('article', { className: 'proposal direction' }, el('b', {}, String(k + 1)));
  if (m.kind === 'highlight') box.append(el('p', {}, b.text ? `“${b.text}” is highlighted` : 'A place is highlighted'));
  if (b.voice) box.append(clip(url(`/extras/${b.voice.sound}`), b.voice.peaks, b.voice.ms));
  if (b.text && m.kind === 'note') {
    const area = el('textarea', { className: 'field', value: b.text, rows: 2, 'aria-label': `Direction ${k + 1}` });
    area.addEventListener('input', () => {
      if (area.value.trim())
        change((leaves) => {
          leaves[i].said[k].body.text = area.value;
        }, `said ${i} ${k}`);
    });
    box.append(area);
  }
  box.append(bin);
  return box;
}

// begin writes or records a direction at a place of a page.
function begin(i, at) {
  draft?.keep?.();
  const box = el('article', { className: 'proposal direction' });
  draft = { card: box, i, at, keep: null };
  const end = () => {
    draft = null;
    doc.onChange(false);
  };
  if (hand === 'voice') {
    doc.onChange(false);
    record(box, { seconds: 900, to: url('/spoken') }, end, (voice) => {
      draft = null;
      put(i, mark('note', { at, voice }));
    });
    return;
  }
  const area = el('textarea', {
    className: 'field',
    rows: 3,
    'aria-label': 'Your direction',
    placeholder: 'Write what every copy shall say here',
  });
  draft.keep = () => {
    const text = area.value.trim();
    draft = null;
    if (text) put(i, mark('note', { at, text }));
  };
  box.append(
    area,
    el(
      'div',
      { className: 'row' },
      button(
        '',
        'Keep',
        () => {
          draft.keep();
          doc.onChange(false);
        },
        'dark',
      ),
      button('', 'Drop', end, 'quiet'),
    ),
  );
  area.addEventListener('keydown', (e) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      draft.keep();
      doc.onChange(false);
    }
  });
  doc.onChange(false);
  area.focus({ preventScroll: true });
}

function paint(s, l, i) {
  (l.said ?? []).forEach((m, k) => {
    if (m.kind === 'highlight')
      s.washes.append(node('path', { fill: m.body.color, d: m.body.quadPoints.map(outline).join('') }));
    else point(s, m.body.at, k + 1, 'n');
  });
  if (draft?.i === i) point(s, draft.at, '+');
}
function point(s, [x, y], words, n) {
  const g = node('g', { class: 'direction-point' }),
    t = node('text', { x, y: y + 3.2, 'text-anchor': 'middle' });
  t.textContent = words;
  g.append(node('circle', { cx: x, cy: y, r: 8, ...(n ? { 'data-n': words - 1 } : {}) }), t);
  s.over.append(g);
}

function down(e, s) {
  const i = s.i,
    l = view.leaves[i],
    from = spot(e, s),
    n = e.target.dataset?.n;
  if (n !== undefined) {
    // a note's point is dragged
    const merge = `drag ${Date.now()}`;
    return {
      move(p) {
        change((leaves) => {
          leaves[i].said[n].body.at = [p.x, p.y];
        }, merge);
      },
      up() {},
    };
  }
  if (hand !== 'highlighter')
    return {
      move() {},
      up() {
        begin(i, [from.x, from.y]);
      },
    };
  const ghost = node('path', { fill: color });
  s.washes.append(ghost);
  let body = null;
  const take = async (p) => {
    const page = await print(l);
    body = core.run(page, from, from, false) ? core.run(page, from, p, false) : box(from, p);
    ghost.setAttribute('d', (body?.quadPoints ?? []).map(outline).join(''));
  };
  return {
    move: take,
    async up(p) {
      await take(p);
      ghost.remove();
      if (body) put(i, mark('highlight', { color, ...body }));
    },
  };
}

function box(a, b) {
  const [l, r] = [Math.min(a.x, b.x), Math.max(a.x, b.x)],
    [t, f] = [Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return r - l < 4 || f - t < 4 ? null : { quadPoints: [[l, t, r, t, r, f, l, f]] };
}
