// points is where questions get their points, and the words that are expected
// to be marked.

import { el, node } from '../paint.js';
import { core } from '../core.js';
import { change, doc, leaf, numbers, size, view } from './doc.js';
import { choose, spot } from './leaves.js';
import { newId } from '../ids.js';
import { asFound, load, own, places, print, questions } from './found.js';
import { button, field } from './parts.js';

const QUARTERS = 4; // points are kept in quarters
let at = -1,
  marking = false; // the question in hand; whether its expected words are being marked

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

function panel() {
  const n = numbers(),
    parts = [];
  let sum = 0,
    any = false;
  view.leaves.forEach((l, i) => {
    if (l.use !== 'sheet') return;
    const asks = questions(l),
      blanks = gathered(l);
    asks.forEach((q, k) => {
      any = true;
      sum += q.p ?? 0;
      const here = i === doc.at && k === at,
        points = el('input', {
          className: 'field',
          value: text(q.p),
          inputMode: 'decimal',
          'aria-label': `Points for question ${q.n || k + 1} on page ${n[i]}`,
          maxLength: 7,
        });
      points.addEventListener('input', () => {
        const v = Number(points.value.trim().replace(',', '.')) * QUARTERS,
          ok = Number.isInteger(v) && v >= 0 && v <= 1000 * QUARTERS;
        points.setAttribute('aria-invalid', String(!ok));
        if (ok) {
          set(
            i,
            (all) => {
              if (v) all[k].p = v;
              else delete all[k].p;
            },
            `points ${k}`,
          );
          total();
        }
      });
      parts.push(
        el(
          'li',
          { className: here ? 'here' : '' },
          el(
            'button',
            {
              className: 'ask',
              'aria-current': String(here),
              on: {
                click: () => {
                  choose(i, true);
                  at = k;
                  marking = false;
                  doc.onChange(false);
                },
              },
            },
            el('b', {}, q.n || '·'),
            el('span', {}, q.t || 'no words'),
            el(
              'span',
              { className: 'hint' },
              `page ${n[i]}${blanks[k] ? `, ${blanks[k]} ${blanks[k] === 1 ? 'blank' : 'blanks'}` : ''}${q.w?.length ? `, ${q.w.length} to mark` : ''}`,
            ),
          ),
          points,
        ),
      );
      if (here) parts.push(el('li', { className: 'editing' }, editor(q, k)));
    });
  });
  return [
    el(
      'section',
      {},
      el('h2', {}, 'Questions and points'),
      el(
        'p',
        { className: 'hint mb-3' },
        any
          ? 'A quarter of a point is the smallest step. The sum is offered when you assign the sheet.'
          : 'No numbered questions were found. Draw one over its first line on the page.',
      ),
      el('ol', { className: 'ask-list' }, ...parts),
      any
        ? el(
            'p',
            { className: 'ask-sum' },
            'Together ',
            el('strong', { data: { sum: '' } }, `${sum / QUARTERS} points`),
          )
        : null,
      el(
        'div',
        { className: 'row mt-3' },
        button('plus', 'Add a question', () => {
          const s = size(leaf());
          add([s.w * 0.1, s.h * 0.4, s.w * 0.9, s.h * 0.4 + 14]);
        }),
        asFound('questions', () => {
          at = -1;
        }),
      ),
    ),
  ];
}

function total() {
  const sum = view.leaves
    .filter((l) => l.use === 'sheet')
    .flatMap(questions)
    .reduce((s, q) => s + (q.p ?? 0), 0);
  const out = document.querySelector('[data-sum]');
  if (out) out.textContent = `${sum / QUARTERS} points`;
}

function editor(q, k) {
  return el(
    'div',
    { className: 'in-hand' },
    el(
      'div',
      { className: 'third-rest' },
      field(
        'Number',
        q.n,
        (v) =>
          set(
            doc.at,
            (all) => {
              all[k].n = v;
            },
            'number',
          ),
        { maxLength: 20 },
      ),
      field(
        'Its words',
        q.t,
        (v) =>
          set(
            doc.at,
            (all) => {
              all[k].t = v;
            },
            'text',
          ),
        { maxLength: 200 },
      ),
    ),
    el(
      'p',
      { className: 'hint' },
      'Is it “mark every word that …”? Mark the expected words yourself; no student sees them.',
    ),
    el(
      'div',
      { className: 'row' },
      el(
        'button',
        {
          className: 'button',
          'aria-pressed': String(marking),
          on: {
            click: () => {
              marking = !marking;
              if (marking) print(leaf());
              doc.onChange(false);
            },
          },
        },
        marking ? 'Done marking words' : 'Mark the expected words',
      ),
      q.w?.length
        ? button(
            '',
            'Forget them',
            () =>
              set(doc.at, (all) => {
                delete all[k].w;
              }),
            'quiet',
          )
        : null,
    ),
    q.w?.length ? el('p', { className: 'hint' }, q.w.map((w) => `“${w.text}”`).join(', ')) : null,
    button('bin', 'Delete the question', () => {
      at = -1;
      set(doc.at, (all) => all.splice(k, 1));
    }),
  );
}

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
