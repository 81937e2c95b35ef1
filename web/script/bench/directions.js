// directions is what the teacher says on the sheet itself, so that every copy
// carries it: typed and spoken notes, and highlights.

import { node, paint as painted } from '../paint.js';
import { core } from '../core.js';
import { clip } from '../clip.js';
import { dated } from '../dated.js';
import * as pieces from '../pieces.js';
import { record, review } from '../record.js';
import { newId } from '../ids.js';
import { ask } from '../net.js';
import { formal, typed, write } from '../prosaic.js';
import { WASHES } from '../settings.js';
import { change, doc, leaf, url, view } from './doc.js';
import { spot } from './leaves.js';
import { print } from './found.js';
import { outline } from './points.js';

let hand = 'note',
  color = WASHES.yellow,
  draft = null; // {id, kind, i, at}: what is being written or recorded

const put = (i, m) =>
  change((leaves) => {
    (leaves[i].said ??= []).push(m);
  });
const mark = (kind, body) => ({ id: newId(), page: 1, kind, body });

// KINDS are what is written and drawn on the sheet on a screen of its own.
const KINDS = {
  freetext: 'Writing',
  ink: 'A drawing',
  underline: 'An underline',
  strikeout: 'Words crossed out',
  line: 'A line',
  polyline: 'A line',
  square: 'A box',
  circle: 'A circle',
  stamp: 'A stamp',
  picture: 'A picture',
};

const TOP = { note: 'Note', voice: 'Voice note', sound: 'Sound' };

const panel = {
  hand,
  color,
  colors: Object.entries(WASHES).map(([name, value]) => ({ name, value })),
  drafts: [], // what is being written or recorded, if anything is
  all: [],
  top: '', // what the button for the top of the page says
  doing: '',
  wrong: '',
  show() {
    this.top = `${TOP[hand] ?? ''} at the top of this page`;
    Object.assign(this, { hand, color, drafts: draft ? [{ id: draft.id, kind: draft.kind }] : [] });
    this.all = (leaf().said ?? []).map((m, at) => ({
      id: m.id,
      at,
      highlights:
        m.kind !== 'highlight' ? '' : m.body.text ? `“${m.body.text}” is highlighted` : 'A place is highlighted',
      note: m.kind === 'note' ? (m.body.text ?? '') : '',
      rich: !!m.body.rich,
      voice: m.body.voice,
      times: String(m.body.voice?.times ?? 0),
      words: m.body.voice?.words ?? '',
      other: KINDS[m.kind] ?? '',
    }));
  },
  take(name) {
    hand = name;
    if (name === 'highlighter') print(leaf());
    doc.onChange(false);
  },
  dye(v) {
    color = v;
    doc.onChange(false);
  },
  atTop: () => begin(doc.at, [40, 40]),
  keep() {
    keep();
    doc.onChange(false);
  },
  end,
  record(box) {
    const { i, at, broken } = draft,
      { source, page } = view.leaves[i];
    const of = {
      seconds: 900,
      to: url('/spoken'),
      person: view.person,
      name: 'Spoken direction',
      about: { thing: thing(), source, page, at },
    };
    const keep = (voice) => {
      draft = null;
      put(i, mark('note', { at, voice }));
    };
    if (broken) review(box, of, broken, end, keep);
    else record(box, of, end, keep);
  },
  // lay puts a sound from a file at the place.
  async lay(field) {
    const [file] = field.files,
      { i, at } = draft;
    if (!file) return;
    Object.assign(this, { doing: 'Reading the sound…', wrong: '' });
    try {
      const voice = await ask(url('/spoken'), { method: 'POST', body: file });
      draft = null;
      put(i, mark('note', { at, text: file.name.replace(/\.[^.]*$/, '').slice(0, 100), voice }));
    } catch (e) {
      this.wrong = e.message;
      field.value = '';
    }
    this.doing = '';
  },
  fill(field, value) {
    field.value = value;
  },
  often: (k, times) =>
    change((leaves) => {
      const { times: _, ...voice } = leaves[doc.at].said[k].body.voice;
      leaves[doc.at].said[k].body.voice = { ...voice, ...(+times ? { times: +times } : {}) };
    }),
  tell(k, words) {
    const i = doc.at;
    change((leaves) => {
      const { words: _, ...voice } = leaves[i].said[k].body.voice;
      leaves[i].said[k].body.voice = { ...voice, ...(words.trim() ? { words: words.trim() } : {}) };
    }, `words ${i} ${k}`);
  },
  play: (box, voice) => box.replaceChildren(clip(url(`/extras/${voice.sound}`), [...voice.peaks], voice.ms).box),
  // form gives a field what a direction says, and the button for its form; one that
  // is new is written at once.
  form(field, d) {
    write(field, d && { text: d.note, rich: d.rich });
    field.after(formal(field));
    if (!d) field.focus({ preventScroll: true });
  },
  say(k, field) {
    const i = doc.at,
      { text, rich } = typed(field);
    if (text)
      change((leaves) => {
        const { rich: _, ...body } = leaves[i].said[k].body;
        leaves[i].said[k].body = { ...body, text: field.value, ...(rich ? { rich } : {}) };
      }, `said ${i} ${k}`);
  },
  drop: (k) => change((leaves) => leaves[doc.at].said.splice(k, 1)),
};

export const mode = {
  begin: () => {
    draft = null;
    again();
    if (!core.ready) core.loaded.then(() => doc.onChange(false)); // which paints what is written and drawn
  },
  leave: () => {
    keep();
    draft = null;
  },
  panel,
  paint,
  down,
};

const thing = () => `worksheet/${view.id}`;

// again shows a direction that was being recorded when the browser went.
async function again() {
  const [r] = await pieces.broken(view.person, thing());
  if (!r || draft) return;
  const i = view.leaves.findIndex((l) => l.source === r.about.source && l.page === r.about.page);
  if (i < 0) return;
  r.said = `Broken off ${dated(r.at, undefined, 'short')}. It is here up to the last second or two.`;
  doc.at = i;
  draft = { id: newId(), kind: 'voice', i, at: r.about.at, broken: r };
  doc.onChange(false);
}

// begin writes or records a direction at a place of a page.
function begin(i, at) {
  keep();
  draft = { id: newId(), kind: hand, i, at };
  doc.onChange(false);
}

// keep takes what is being written; what is being recorded has its own way.
function keep() {
  if (draft?.kind !== 'note') return;
  const { i, at } = draft,
    field = document.querySelector('[data-directing]'),
    said = field ? typed(field) : { text: '' };
  draft = null;
  if (said.text) put(i, mark('note', { at, ...said }));
}

function end() {
  draft = null;
  doc.onChange(false);
}

function paint(s, l, i) {
  (l.said ?? []).forEach((m, k) => {
    if (m.kind === 'highlight')
      s.washes.append(node('path', { fill: m.body.color, d: m.body.quadPoints.map(outline).join('') }));
    else if (m.kind === 'note') point(s, m.body.at, k + 1, 'n');
    else painted({ washes: s.washes, marks: s.over }, { mark: m, layer: 'sheet', shapes: core.shapes(m), groups: [] });
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
