// words has what is said of a worksheet for those who do not see it, or have it read
// aloud: its language, and what its pictures and drawings show.

import { ask } from '../net.js';
import { change, doc, leaf, named, size, url, view } from './doc.js';

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
  WIDE = 200; // pixels of a cut

const middle = (r) => [(r[0] + r[2]) / 2, (r[1] + r[3]) / 2];
const same = (a, b) => Math.hypot(middle(a)[0] - middle(b)[0], middle(a)[1] - middle(b)[1]) < NEAR;

// print gives what is printed on a leaf, and shows the panel again when it has come.
function print(l) {
  const name = named(l);
  if (!prints.has(name)) {
    prints.set(name, { figures: [] });
    ask(url(`/sources/${l.source}/print/${l.page}/${l.turn}`))
      .then((p) => {
        prints.set(name, p);
        doc.onChange();
      })
      .catch(() => prints.delete(name));
  }
  return prints.get(name);
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

const panel = {
  languages: LANGUAGES.map(([tag, name]) => ({ tag, name })),
  lang: '',
  all: [],
  none: '',
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
export const mode = { begin() {}, leave() {}, panel, paint() {}, down: () => null };
