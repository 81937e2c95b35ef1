// rubric is by what a question is judged that is not counted: criteria, each with
// levels and their points. What is kept of them can be used for other questions.

import { ask } from '../net.js';
import { dialog } from '../dialogs.js';
import { newId } from '../ids.js';
import { toast } from '../toast.js';

const QUARTERS = 4; // points are kept in quarters
const FIRST = [
  ['fully', 2],
  ['partly', 1],
  ['not', 0],
];

const criterion = () => ({
  i: newId(),
  t: '',
  l: FIRST.map(([t, p]) => ({ i: newId(), t: String(t), p: +p * QUARTERS })),
});

// worth gives what the best levels of all criteria add up to, in quarters.
const worth = (rubric) => rubric.c.reduce((sum, c) => sum + Math.max(...c.l.map((l) => l.p)), 0);

// anew gives a rubric names of its own, as another question's.
const anew = (rubric) => ({
  ...(rubric.s && { s: true }),
  c: rubric.c.map((c) => ({ ...c, i: newId(), l: c.l.map((l) => ({ ...l, i: newId() })) })),
});

// judging is what the panel of points has of it. Put changes the question in
// hand, as one step with others of the same name.
export const judging = (put) => {
  const on = (what, merge = '') =>
    put((q) => {
      what(q.b, q);
      if (!q.b) return;
      q.p = worth(q.b);
      if (!q.p) delete q.p;
    }, merge);
  return {
    criteria: [],
    told: false, // students see it with the task
    kept: [], // to be used again
    keptOnce: false,
    counted() {}, // shows what questions are worth
    showRubric(q) {
      this.criteria = (q?.b?.c ?? []).map((c, at) => ({
        at,
        id: c.i,
        text: c.t,
        name: `Criterion ${at + 1}`,
        levels: c.l.map((l, n) => ({
          at: n,
          id: l.i,
          text: l.t,
          points: String(l.p / QUARTERS),
          name: `Level ${n + 1} of criterion ${at + 1}`,
          gives: `Points of level ${n + 1} of criterion ${at + 1}`,
          only: c.l.length === 1,
        })),
      }));
      this.told = !!q?.b?.s;
      if (q && !this.keptOnce) this.loadKept();
    },
    async loadKept() {
      this.keptOnce = true;
      try {
        this.kept = await ask('/rubrics');
      } catch {
        this.keptOnce = false; // without a line there is nothing to choose from
      }
    },
    addCriterion: () =>
      put((q) => {
        q.b ??= { c: [] };
        q.b.c.push(criterion());
        q.p = worth(q.b);
      }),
    dropCriterion: (c) =>
      on((b, q) => {
        b.c.splice(c, 1);
        if (!b.c.length) delete q.b;
      }),
    nameCriterion: (c, t) => on((b) => (b.c[c].t = t), `criterion ${c}`),
    addLevel: (c) => on((b) => b.c[c].l.push({ i: newId(), t: '', p: 0 })),
    dropLevel: (c, l) => on((b) => b.c[c].l.splice(l, 1)),
    nameLevel: (c, l, t) => on((b) => (b.c[c].l[l].t = t), `level ${c} ${l}`),
    giveLevel(c, l, f) {
      const p = Number(f.value.trim().replace(',', '.')) * QUARTERS,
        ok = f.value.trim() !== '' && Number.isInteger(p) && p >= 0 && p <= 100 * QUARTERS;
      f.setAttribute('aria-invalid', String(!ok));
      if (!ok) return;
      on((b) => (b.c[c].l[l].p = p), `gives ${c} ${l}`);
      this.counted();
    },
    tell: (shown) => on((b) => (b.s = shown)),
    useKept(id) {
      const one = this.kept.find((r) => String(r.id) === id);
      if (one)
        put((q) => {
          q.b = anew(one.body);
          q.p = worth(q.b);
        });
    },
    keep(q) {
      const d = dialog('rubric'),
        title = d.querySelector('input'),
        wrong = d.querySelector('[data-wrong]');
      wrong.hidden = true;
      d.querySelector('[data-yes]').onclick = async () => {
        try {
          await ask('/rubrics', { method: 'POST', json: { title: title.value, body: q.b } });
          d.close();
          toast(`Kept as “${title.value.trim()}”. It can be chosen for any question of yours.`);
          title.value = '';
          await this.loadKept();
        } catch (e) {
          wrong.hidden = false;
          wrong.textContent = e.message;
        }
      };
      d.showModal();
    },
  };
};
