// points is where questions get their points, and the words that are expected
// to be marked.

import { node } from '../paint.js';
import { core } from '../core.js';
import { change, doc, leaf, numbers, size, view } from './doc.js';
import { choose, spot } from './leaves.js';
import { newId } from '../ids.js';
import { load, own, places, print, questions } from './found.js';
import { corrected, letGo } from './parts.js';
import { judging } from './rubric.js';

// how a question may be answered by marks
const TASKS = {
  options: 'Choosing',
  pairs: 'Joining pairs',
  words: 'Marking words',
  draw: 'Drawing',
  colour: 'Colouring in',
};
const QUARTERS = 4; // points are kept in quarters
let at = -1,
  marking = false; // the question in hand; whether its expected words are being marked

function begin() {
  at = -1;
  marking = false;
  load().then(() => doc.onChange(false));
}

const text = (quarters) => (quarters ? String(quarters / QUARTERS) : '');
const set = (i, f, merge) => change((leaves) => f(own(leaves[i], 'questions')), merge && `${merge} ${i} ${at}`);

// gathered counts the blanks of each question, as Guide.Of of the core's plan.
function gathered(l) {
  const asks = questions(l),
    count = asks.map(() => 0);
  for (const p of places(l)) {
    let best = -1;
    asks.forEach((q, i) => {
      if (q.r[1] <= p.y && q.r[0] <= p.r[2] && (best < 0 || q.r[1] >= asks[best].r[1])) best = i;
    });
    if (best >= 0) count[best]++;
  }
  return count;
}

const sum = () =>
  `${
    view.leaves
      .filter((l) => l.use === 'sheet')
      .flatMap(questions)
      .reduce((s, q) => s + (q.p ?? 0), 0) / QUARTERS
  } points`;

const panel = {
  ...judging((f, merge) => set(doc.at, (all) => f(all[at]), merge)),
  all: [],
  sum: '',
  wrong: '', // with what was typed last
  marking: false,
  corrected: false,
  editing: { n: '', t: '', expected: '', task: '', count: '', drop: false }, // the question in hand
  tasks: Object.entries(TASKS),
  show() {
    const n = numbers();
    this.all = view.leaves.flatMap((l, i) => {
      if (l.use !== 'sheet') return [];
      const blanks = gathered(l);
      return questions(l).map((q, k) => ({
        i: q.i,
        leaf: i,
        at: k,
        here: i === doc.at && k === at,
        number: q.n || '·',
        words: q.t || 'no words',
        about: `page ${n[i]}${blanks[k] ? `, ${blanks[k]} ${blanks[k] === 1 ? 'blank' : 'blanks'}` : ''}${q.m ? `, ${TASKS[q.m.k].toLowerCase()}` : ''}${q.w?.length ? `, ${q.w.length} expected` : ''}`,
        label: `Points for question ${q.n || k + 1} on page ${n[i]}`,
        points: text(q.p),
        judged: !!q.b,
      }));
    });
    const q = questions(leaf())[at];
    this.editing = {
      n: q?.n ?? '',
      t: q?.t ?? '',
      expected: (q?.w ?? []).map((w) => `“${w.text}”`).join(', '),
      task: q?.m?.k ?? '',
      count: String(q?.m?.c || ''),
      drop: !!q?.m?.d,
    };
    this.showRubric(q);
    Object.assign(this, { sum: sum(), marking, corrected: corrected('questions') });
  },
  pick(i, k) {
    choose(i, true);
    at = k;
    marking = false;
    doc.onChange(false);
  },
  give(i, k, f) {
    const v = Number(f.value.trim().replace(',', '.')) * QUARTERS,
      ok = Number.isInteger(v) && v >= 0 && v <= 1000 * QUARTERS;
    f.setAttribute('aria-invalid', String(!ok));
    this.wrong = ok
      ? ''
      : `“${f.value.trim()}” is no number of points. Type one such as 2 or 1.5, in quarters, up to 1000. The points before it are kept.`;
    if (!ok) return;
    set(
      i,
      (all) => {
        if (v) all[k].p = v;
        else delete all[k].p;
      },
      `points ${k}`,
    );
    this.sum = sum();
  },
  // down goes on to the points of the next question, or of the one before.
  down(f, by) {
    const all = [...document.querySelectorAll('.ask-list > li > input')],
      next = /** @type {HTMLInputElement | undefined} */ (all[all.indexOf(f) + by]);
    next?.focus();
    next?.select();
  },
  // each gives every question one point; those that are judged keep theirs.
  each() {
    change((leaves) => {
      for (const l of leaves)
        if (l.use === 'sheet' && questions(l).length) for (const q of own(l, 'questions')) if (!q.b) q.p = QUARTERS;
    });
    this.wrong = '';
  },
  set: (k, v) =>
    set(
      doc.at,
      (all) => {
        all[at][k] = v;
      },
      k,
    ),
  setTask: (k) =>
    set(doc.at, (all) => {
      if (k) all[at].m = { ...all[at].m, k };
      else delete all[at].m;
    }),
  setCount(f) {
    const n = Number(f.value.trim() || 0),
      ok = Number.isInteger(n) && n >= 0 && n <= 600;
    f.setAttribute('aria-invalid', String(!ok));
    if (!ok) return;
    set(
      doc.at,
      (all) => {
        all[at].m.c = n;
      },
      'count',
    );
  },
  counted() {
    this.sum = sum();
    for (const q of this.all) if (q.judged) q.points = text(questions(view.leaves[q.leaf])[q.at].p);
  },
  keepRubric() {
    this.keep(questions(leaf())[at]);
  },
  setDrop: (d) =>
    set(doc.at, (all) => {
      all[at].m.d = d;
    }),
  markWords() {
    marking = !marking;
    if (marking) print(leaf());
    doc.onChange(false);
  },
  forget: () =>
    set(doc.at, (all) => {
      delete all[at].w;
    }),
  remove() {
    const k = at;
    at = -1;
    set(doc.at, (all) => all.splice(k, 1));
  },
  addOne() {
    const s = size(leaf());
    add([s.w * 0.1, s.h * 0.4, s.w * 0.9, s.h * 0.4 + 14]);
  },
  asFound() {
    at = -1;
    letGo('questions');
  },
};

export const mode = {
  begin,
  panel,
  paint,
  down,
  leave: () => {
    at = -1;
    marking = false;
  },
};

function add(r) {
  change((leaves) => {
    const all = own(leaves[doc.at], 'questions');
    at = all.findIndex((q) => q.r[1] > r[1]);
    if (at < 0) at = all.length;
    all.splice(at, 0, { i: newId(), n: '', t: '', r: r.map((v) => Math.round(v * 100) / 100) });
  });
}

export const outline = (q) => `M${q[0]} ${q[1]}L${q[2]} ${q[3]}L${q[4]} ${q[5]}L${q[6]} ${q[7]}Z`;

function paint(s, l, i) {
  if (l.use !== 'sheet') return;
  questions(l).forEach((q, n) => {
    const [x, y, r, b] = q.r,
      here = i === doc.at && n === at;
    s.over.append(
      node('rect', {
        class: here ? 'question here' : 'question',
        x: x - 2,
        y: y - 2,
        width: r - x + 4,
        height: b - y + 4,
        'data-n': n,
      }),
    );
    if (q.p) {
      const t = node('text', { class: 'question-p', x: x - 6, y: b - 1, 'text-anchor': 'end' });
      t.textContent = text(q.p);
      s.over.append(t);
    }
    for (const w of q.w ?? [])
      s.washes.append(node('path', { class: 'expected', d: w.quadPoints.map(outline).join('') }));
  });
}

function down(e, s) {
  const l = view.leaves[s.i];
  if (l.use !== 'sheet') return null;
  const from = spot(e, s);
  if (marking && s.i === doc.at && at >= 0) return words(from, s, l);
  const n = e.target.dataset?.n;
  if (n !== undefined) {
    at = +n;
    marking = false;
    const was = questions(l)[at].r,
      merge = `drag ${Date.now()}`;
    doc.onChange(false);
    return {
      move(p) {
        if (Math.hypot(p.x - from.x, p.y - from.y) * from.pixels > 3)
          set(
            s.i,
            (all) => {
              all[at].r = was.map((v, k) => Math.round((v + (k % 2 ? p.y - from.y : p.x - from.x)) * 100) / 100);
            },
            merge,
          );
      },
      up() {},
    };
  }
  at = -1;
  const ghost = node('rect', { class: 'question here' }),
    corners = (p) => [Math.min(from.x, p.x), Math.min(from.y, p.y), Math.max(from.x, p.x), Math.max(from.y, p.y)];
  s.over.append(ghost);
  return {
    move(p) {
      const [x, y, r, b] = corners(p);
      for (const [k, v] of Object.entries({ x, y, width: r - x, height: b - y })) ghost.setAttribute(k, v);
    },
    up(p) {
      ghost.remove();
      const r = corners(p);
      if (r[2] - r[0] > 10 && r[3] - r[1] > 4) add(r);
      else doc.onChange(false);
    },
  };
}

// words takes expected words; drawn over again they are no longer expected.
function words(from, s, l) {
  const ghost = node('path', { class: 'expected' });
  s.washes.append(ghost);
  let run = null;
  return {
    async move(p) {
      const page = await print(l);
      run = core.run(page, from, p, false);
      ghost.setAttribute('d', (run?.quadPoints ?? []).map(outline).join(''));
    },
    async up(p) {
      await this.move(p);
      ghost.remove();
      if (!run?.text) return;
      set(s.i, (all) => {
        const w = all[at].w ?? [],
          there = w.findIndex((o) => JSON.stringify(o.quadPoints) === JSON.stringify(run.quadPoints));
        if (there >= 0) w.splice(there, 1);
        else w.push({ text: run.text, quadPoints: run.quadPoints });
        all[at].w = w;
      });
    },
  };
}
