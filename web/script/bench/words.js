// words has what is said of a worksheet for those who do not see it, or have it read
// aloud: its language, and what its pictures and drawings show.

import { ask, post } from '../net.js';
import { change, doc, leaf, named, size, url, view } from './doc.js';
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
      if (prints.get(name).wordless && !p.wordless) await again();
      prints.set(name, p);
      doc.onChange();
      if (p.wordless)
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
  speak: (tag) =>
    change((_, kit) => {
      kit.lang = tag;
    }),
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
