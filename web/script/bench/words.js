// words has what is said of a worksheet for those who do not see it, or have it read
// aloud: its language, and what its pictures and drawings show.

import { ask, post } from '../net.js';
import { change, doc, leaf, named, settled, size, url, view } from './doc.js';
import { again } from './found.js';

const LANGUAGES = [
  ['', 'As it is found'],
  ['en', 'English'],
  ['de', 'German'],
  ['fr', 'French'],
  ['es', 'Spanish'],
  ['it', 'Italian'],
  ['nl', 'Dutch'],
  ['pt', 'Portuguese'],
  ['sv', 'Swedish'],
  ['nb', 'Norwegian'],
  ['pl', 'Polish'],
  ['tr', 'Turkish'],
  ['ar', 'Arabic'],
  ['ru', 'Russian'],
  ['ja', 'Japanese'],
  ['zh', 'Chinese'],
];
const prints = new Map(); // what is printed on leaves, by their names
const NEAR = 6, // points between the middle of a figure and of what is said of it
  WIDE = 200, // pixels of a cut
  AGAIN = 4000, // milliseconds until words of a picture are asked for again
  UNSURE = 0.7; // below which a word that was read is to be looked at
const KINDS = [
  { kind: '', name: 'As it is found' },
  { kind: 'heading', name: 'A heading' },
  { kind: 'text', name: 'Text' },
  { kind: 'plain', name: 'Not to be read' },
];
let open = false, // the panel is shown
  every = false; // so are all words that were read, not only those that are unsure

const middle = (r) => [(r[0] + r[2]) / 2, (r[1] + r[3]) / 2];
const same = (a, b) => Math.hypot(middle(a)[0] - middle(b)[0], middle(a)[1] - middle(b)[1]) < NEAR;

// print gives what is printed on a leaf, and shows the panel again when it has come. The
// words of a picture come behind, and are asked for again as long as the panel is open.
function print(l) {
  const name = named(l);
  if (!prints.has(name)) {
    prints.set(name, { figures: [], words: [] });
    fetchPrint(l);
  }
  return prints.get(name);
}
function fetchPrint(l) {
  const name = named(l);
  ask(url(`/sources/${l.source}/print/${l.page}/${l.turn}`))
    .then(async (p) => {
      const was = prints.get(name);
      if ((was.wordless && !p.wordless) || (was.anew && !p.anew)) await again();
      prints.set(name, p);
      doc.onChange();
      if (p.wordless || p.anew)
        setTimeout(() => {
          if (open && named(leaf()) === name) fetchPrint(l);
          else prints.delete(name);
        }, AGAIN);
    })
    .catch(() => prints.delete(name));
}

// cut gives the look of a box that shows a part of a page.
function cut(l, [left, top, right, bottom]) {
  const { w, h } = size(l),
    k = Math.min(WIDE / (right - left), 2);
  return {
    width: `${(right - left) * k}px`,
    height: `${(bottom - top) * k}px`,
    backgroundImage: l.turn ? 'none' : `url("${url(`/sources/${l.source}/pages/${l.page}/150`)}")`,
    backgroundSize: `${w * k}px ${h * k}px`,
    backgroundPosition: `${-left * k}px ${-top * k}px`,
  };
}

// tell keeps what is said of a figure.
function tell(r, what, merge) {
  change((leaves) => {
    const l = leaves[doc.at],
      all = (l.figures ??= []),
      now = all.find((f) => same(f.r, r));
    if (now) Object.assign(now, what);
    else all.push({ r: [...r], ...what });
  }, merge);
}

// pieces gives a leaf in words, as it is kept, and shows the panel again when it has come.
const alike = (a, b) => a.every((v, i) => Math.abs(v - b[i]) < NEAR / 2);
let read = { of: '', all: /** @type {any[] | null} */ (null) };
function pieces(l) {
  const of = `${named(l)} ${doc.at} ${JSON.stringify(l.order ?? [])} ${!!prints.get(named(l))?.words?.length}`;
  if (read.of !== of) {
    read = { of, all: read.all };
    const mine = read;
    Promise.resolve() // the change that this is shown for is not noted yet
      .then(settled)
      .then(() => ask(url(`/words/${doc.at}`)))
      .then((all) => {
        if (read !== mine) return;
        mine.all = all;
        doc.onChange();
        if (moved) requestAnimationFrame(follow);
      })
      .catch(() => {
        if (read === mine) read.of = '';
      });
  }
  return read.all;
}

// follow brings the focus along with the piece that was moved: its row was laid anew.
let moved = null; // {at, by}
function follow() {
  const { at, by } = moved,
    row = document.querySelectorAll('.reading-order li')[at],
    ways = /** @type {HTMLButtonElement[]} */ ([...(row?.querySelectorAll('.moves button') ?? [])]);
  moved = null;
  (ways[by > 0 ? 1 : 0]?.disabled ? ways[by > 0 ? 0 : 1] : ways[by > 0 ? 1 : 0])?.focus();
}

// wordsOf says which piece it is.
function wordsOf(p) {
  if (p.k === 'picture') return p.a || 'A picture';
  const bits = p.k === 'table' ? p.r.flat(2) : (p.b ?? []),
    words = p.s || bits.map((b) => b.t ?? '…').join(' ');
  return (
    `${p.k === 'table' ? 'A table: ' : ''}${words.length > 60 ? `${words.slice(0, 60)}…` : words}` || 'A place to write'
  );
}

// reorder changes the order of a leaf's pieces: all of them are said from then on. Those
// that need not be read are behind, for they are in no list.
function reorder(f) {
  if (!read.all) return;
  change((leaves) => {
    const l = leaves[doc.at],
      was = l.order ?? [],
      all = read.all.map((p) => ({ r: [...p.x], k: was.find((o) => alike(o.r, p.x))?.k ?? '' }));
    f(all);
    l.order = [...all, ...was.filter((o) => o.k === 'plain' && !all.some((a) => alike(a.r, o.r)))];
  });
}

// explain changes the words that the teacher explains.
function explain(f, merge = null) {
  change((_, kit) => {
    kit.words = (kit.words ?? []).map((w) => ({ ...w }));
    f(kit.words);
  }, merge);
}

// headings gives the lines that are set in larger letters than most of a page.
function headings({ words = [] }) {
  const sizes = words.map((w) => w.s ?? 0).sort((a, b) => a - b),
    most = sizes[Math.floor(sizes.length / 2)] ?? 0,
    lines = new Map();
  for (const w of words) if ((w.s ?? 0) > most * 1.15) lines.set(w.l, [...(lines.get(w.l) ?? []), w.t]);
  return [...lines.values()].map((l) => l.join(' ').slice(0, 60));
}

const panel = {
  languages: LANGUAGES.map(([tag, name]) => ({ tag, name })),
  lang: '',
  all: [],
  none: '',
  read: [],
  about: '',
  every: false,
  wrong: '',
  order: [],
  ordered: '',
  left: '',
  kinds: KINDS,
  words: [],
  pictures: [],
  added: '',
  show() {
    const l = leaf();
    this.lang = view.kit.lang ?? '';
    this.all = (print(l).figures ?? []).map((r, at) => {
      const said = (l.figures ?? []).find((f) => same(f.r, r));
      return {
        at,
        key: `${named(l)} ${at}`,
        r,
        name: `Picture ${at + 1}`,
        says: said?.t ?? '',
        plain: !!said?.n,
        cut: cut(l, r),
      };
    });
    this.none = this.all.length ? '' : 'No picture or drawing was found on this page.';
    const p = print(l),
      words = (p.words ?? []).map((w, at) => ({ ...w, at })).filter((w) => w.c),
      unsure = words.filter((w) => w.c < UNSURE);
    const read = pieces(l);
    this.ordered = read ? '' : 'It is being looked up…';
    const unread = (l.order ?? []).filter((o) => o.k === 'plain').length;
    this.left = unread ? `${unread === 1 ? 'One piece is' : `${unread} pieces are`} not read.` : '';
    this.order = (read ?? []).map((p, at, all) => {
      const words = wordsOf(p);
      return {
        at,
        key: `${at} ${p.x}`,
        words,
        kind: (l.order ?? []).find((o) => alike(o.r, p.x))?.k ?? '',
        first: at === 0,
        last: at === all.length - 1,
        fixed: !!p.q || p.k === 'table' || p.k === 'picture',
        up: `Earlier: ${words}`,
        down: `Later: ${words}`,
        is: `What it is: ${words}`,
      };
    });
    this.words = (view.kit.words ?? []).map((w, at) => ({
      at,
      key: `${at} ${w.word}`,
      word: w.word,
      means: w.means ?? '',
      picture: w.picture ?? '',
      out: `Take out ${w.word}`,
    }));
    this.pictures = (view.kit.shelf ?? []).map(({ hash, name }) => ({ hash, name }));
    this.about = p.wordless
      ? 'This page is a picture, and no words of it are known. They are read behind the work; where there are some, they come here by themselves.'
      : p.anew
        ? 'This page is a picture. Its words are being read once more, in the language of the worksheet.'
        : words.length
          ? `This page is a picture: ${words.length} words were read in it, ${unsure.length || 'none'} of them not surely.`
          : '';
    this.every = every;
    this.read = (l.turn ? [] : every ? words : unsure).map((w) => ({
      at: w.at,
      key: `${named(l)} ${w.at} ${w.t}`,
      t: w.t,
      name: `Word ${w.at + 1}, “${w.t}”${w.c < UNSURE ? ', not sure' : ''}`,
      cut: cut(l, [w.b[0] - 2, w.b[1] - 1, w.b[2] + 2, w.b[3] + 1]),
    }));
  },
  move(i, by) {
    moved = { at: i + by, by };
    reorder((all) => {
      const [one] = all.splice(i, 1);
      all.splice(i + by, 0, one);
    });
  },
  readAgain: () =>
    change((leaves) => {
      const l = leaves[doc.at];
      l.order = (l.order ?? []).map((o) => (o.k === 'plain' ? { ...o, k: '' } : o));
    }),
  takeFor: (i, kind) =>
    reorder((all) => {
      all[i].k = kind;
    }),
  setWord: (i, text) => explain((all) => (text.trim() ? (all[i].word = text.trim()) : all.splice(i, 1))),
  setMeans: (i, text) =>
    explain((all) => {
      all[i].means = text.trim();
    }, `means ${i}`),
  setPicture: (i, hash) =>
    explain((all) => {
      all[i].picture = hash;
    }),
  dropWord: (i) => explain((all) => all.splice(i, 1)),
  addWord(text) {
    explain((all) => all.push({ word: text || 'New word' }));
  },
  addHeadings() {
    const there = new Set((view.kit.words ?? []).map((w) => w.word.toLowerCase())),
      found = headings(print(leaf())).filter((h) => !there.has(h.toLowerCase()));
    if (found.length) explain((all) => all.push(...found.map((word) => ({ word }))));
    this.added = found.length ? '' : 'This page has no heading that is not in the list.';
  },
  showEvery(on) {
    every = on;
    doc.onChange();
  },
  right(at, text) {
    const l = leaf(),
      p = print(l),
      was = p.words[at].t;
    if (!text.trim() || text.trim() === was) return;
    this.wrong = '';
    post(url('/words'), { source: l.source, page: l.page, at, was, text })
      .then(() => {
        prints.delete(named(l));
        doc.onChange();
      })
      .catch((e) => {
        this.wrong = `“${text.trim()}” was not kept. ${e.message}`;
      });
  },
  speak(tag) {
    change((_, kit) => {
      kit.lang = tag;
    });
    settled().then(() => open && fetchPrint(leaf())); // scans may be read anew
  },
  says(i, text) {
    tell(this.all[i].r, { t: text.trim() }, `figure ${i}`);
  },
  decorate(i, on) {
    tell(this.all[i].r, { n: on });
  },
};
export const mode = {
  begin() {
    open = true;
  },
  leave() {
    open = false;
  },
  panel,
  paint() {},
  down: () => null,
};
