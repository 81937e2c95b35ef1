// across shows one question on all copies of a class: the same patch of every
// sheet at the same scale, what answers alike together. Points and remarks are
// given to one, to some or to a whole group, and taken back by one press.

import { el, layer, node, paint } from './paint.js';
import { ask } from './net.js';
import { dialog } from './dialogs.js';
import { toast } from './toast.js';
import { newId } from './ids.js';
import * as drafts from './drafts.js';
import { bare } from './prosaic.js';
import { filled, fitting } from './remarks.js';

const root = document.querySelector('[data-across]'),
  main = document.querySelector('[data-groups]'),
  saved = document.querySelector('[data-saved]'),
  undo = document.querySelector('[data-do="undo"]'),
  onward = document.querySelector('[data-do="next"]'),
  base = `/assignments/${root.dataset.across}/across`;
let data = JSON.parse(document.querySelector('#across').textContent),
  scale = 0, // CSS pixels a point
  zoom = 1; // as it was asked for
const done = []; // what can be undone, the newest last

const KEY = 'colour-key'; // is asked about in place of a question

const count = (n, one, many) => `${n} ${n === 1 ? one : many}`;
const asked = () => [...document.querySelectorAll('[data-asked]')];

// tally writes a number as strokes, five at a time.
function tally(n) {
  const gates = Math.ceil(n / 5),
    s = node('svg', { class: 'strokes', viewBox: `0 0 ${gates * 26} 18`, width: gates * 26, height: 18 });
  for (let i = 0; i < n; i++) {
    const x = 26 * Math.floor(i / 5) + 3 + 5 * (i % 5);
    s.append(node('path', { d: i % 5 < 4 ? `M${x} 2v14` : `M${x - 22} 14L${x - 1} 4` }));
  }
  s.setAttribute('role', 'img');
  s.setAttribute('aria-label', count(n, 'copy', 'copies'));
  return s;
}

// part shows a part of a page, with layers over it.
function part(p, ...layers) {
  const [left, top, right, bottom] = p.rect,
    whole = el(
      'div',
      { className: 'whole' },
      el('img', { src: `/sheets/${p.sheet}/pages/${p.page}/150`, alt: '', loading: 'lazy', draggable: false }),
      ...layers,
    ),
    paper = el('div', { className: 'paper' }, whole);
  Object.assign(whole.style, {
    width: `${p.size.X * scale}px`,
    height: `${p.size.Y * scale}px`,
    transform: `translate(${-left * scale}px, ${-top * scale}px)`,
  });
  Object.assign(paper.style, { width: `${(right - left) * scale}px`, height: `${(bottom - top) * scale}px` });
  return paper;
}

// heat shows which printed words a class marks: those that are expected, the
// fuller the more copies have them, and those that are not.
function heat(h) {
  const size = { w: h.size.X, h: h.size.Y },
    over = layer('heat', size),
    says = (w) => `“${w.text.replace(/[.,;:]+$/, '')}” ${w.copies}`;
  for (const w of h.words) {
    const kind = w.expected ? 'hit' : 'excess';
    for (const [l, t, r, b] of w.rects)
      over.append(
        node('rect', {
          class: kind,
          x: l - 1,
          y: t,
          width: r - l + 2,
          height: b - t,
          'fill-opacity': 0.08 + (0.5 * w.copies) / Math.max(1, h.copies),
        }),
      );
    const [, t, r] = w.rects.at(-1),
      n = node('text', { class: kind, x: r + 1.5, y: t + 4 });
    n.textContent = String(w.copies);
    over.append(n);
  }
  const list = (name, words) =>
    words.length ? el('p', {}, el('b', {}, `${name}: `), words.map(says).join(', ')) : null;
  return el(
    'section',
    { className: 'warm', 'aria-label': 'What the class marked' },
    el('h2', {}, `What ${count(h.copies, 'copy marks', 'copies mark')}`),
    part(h, over),
    list(
      'Expected',
      h.words.filter((w) => w.expected),
    ),
    list(
      'In excess',
      h.words.filter((w) => !w.expected),
    ),
  );
}

// keyed shows how often each meaning of the colour key stands on each copy.
function keyed(k) {
  const sum = k.key.map((_, i) => k.rows.reduce((n, r) => n + r.counts[i], 0));
  return el(
    'section',
    { className: 'keyed' },
    el(
      'table',
      { className: 'feinted' },
      el(
        'thead',
        {},
        el(
          'tr',
          {},
          el('th', { scope: 'col' }, 'Student'),
          ...k.key.map((m) => {
            const dot = el('i', { className: 'dyed' });
            dot.style.background = m.color;
            return el('th', { scope: 'col' }, dot, ` ${m.name} (${m.sign})`);
          }),
        ),
      ),
      el(
        'tbody',
        {},
        ...k.rows.map((r) =>
          el(
            'tr',
            {},
            el(
              'th',
              { scope: 'row' },
              el('a', { href: `/assignments/${root.dataset.across}/marking?copy=${r.copy}` }, r.student),
            ),
            ...r.counts.map((n) => el('td', {}, String(n))),
          ),
        ),
      ),
      el(
        'tfoot',
        {},
        el(
          'tr',
          {},
          el('th', { scope: 'row' }, 'On average'),
          ...sum.map((n) => el('td', {}, k.rows.length ? String(Math.round((10 * n) / k.rows.length) / 10) : '')),
        ),
      ),
    ),
  );
}

// patch paints the part of a copy on which the question stands.
function patch(p) {
  const [left, top, right, bottom] = p.rect,
    size = { w: p.size.X, h: p.size.Y },
    of = { washes: layer('washes', size), marks: layer('marks', size) },
    paper = part(p, of.washes, of.marks);
  paper.setAttribute('aria-hidden', 'true'); // the button over it says whose it is
  paint.picture = (hash) => `/copies/${p.copy}/pictures/${hash}`;
  for (const m of p.marks) paint(of, { ...m, groups: [] });
  const box = el(
    'figure',
    { className: 'patch', data: { copy: p.copy } },
    el(
      'div',
      { className: 'face' },
      paper,
      el('button', {
        className: 'take',
        'aria-pressed': 'false',
        'aria-label': `Choose ${p.student}`,
        on: { click: (e) => choose(e.currentTarget) },
      }),
    ),
    el(
      'figcaption',
      {},
      el('a', { href: `/assignments/${root.dataset.across}/marking?copy=${p.copy}` }, p.student),
      p.found ? el('span', { className: 'hint' }, p.found) : null,
      el('span', { className: 'got', data: { got: '' } }),
    ),
  );
  box.style.containIntrinsicSize = `${(right - left) * scale}px ${(bottom - top) * scale + 34}px`;
  return box;
}

function choose(b) {
  b.setAttribute('aria-pressed', String(b.getAttribute('aria-pressed') !== 'true'));
  const group = b.closest('.group');
  say(group, data.groups[+group.dataset.group]);
}

// chosen are the patches of a group that something is done to: those that were
// pressed, or all.
function chosen(group) {
  const g = data.groups[+group.dataset.group],
    some = new Set(
      [...group.querySelectorAll('.take[aria-pressed="true"]')].map((b) => +b.closest('.patch').dataset.copy),
    );
  return some.size ? g.patches.filter((p) => some.has(p.copy)) : g.patches;
}

// say brings what a group's head says in line with what is given and chosen.
function say(group, g) {
  const all = chosen(group),
    given = new Set(all.map((p) => p.given)),
    box = group.querySelector('[data-give]'),
    whom = all.length === g.patches.length ? 'all' : String(all.length);
  if (box) {
    box.value = given.size === 1 ? [...given][0] : '';
    box.placeholder = given.size > 1 ? '…' : '';
    box.setAttribute(
      'aria-label',
      `Points for ${whom === 'all' ? 'all of this group' : whom + ' of this group'}, of ${data.question.of}`,
    );
  }
  group.querySelector('[data-remark]').textContent = `Remark to ${whom}`;
  for (const p of g.patches) {
    const got = group.querySelector(`[data-copy="${p.copy}"] [data-got]`);
    got.textContent = p.given ? `${p.given} of ${data.question.of}` : '';
  }
}

// spread finds the scale at which as many patches stand side by side as can be
// read, and fill the width.
const READABLE = 0.8, // CSS pixels a point
  GAP = 12;
function spread() {
  const [left, , right] = data.groups[0]?.patches[0]?.rect ?? [0, 0, 500],
    free = main.clientWidth - 44,
    columns = Math.max(1, Math.floor((free + GAP) / ((right - left) * READABLE + GAP)));
  scale = zoom * Math.min(1.2, (free - (columns - 1) * GAP) / columns / (right - left));
}

function draw() {
  const q = data.question;
  spread();
  document.querySelector('[data-question-words]').textContent = q.ref
    ? q.ref === KEY
      ? 'Colour key'
      : `Question ${q.number.replace(/\.$/, '')}${q.of ? ` · ${count(+q.of, 'point', 'points')}` : ''}`
    : '';
  for (const a of asked()) a.setAttribute('aria-current', String(a.dataset.asked === q.ref));
  document.querySelector('[data-asked][aria-current="true"]')?.scrollIntoView({ block: 'nearest' });
  main.replaceChildren(
    ...(q.ref === KEY ? [keyed(data.key)] : (data.heat ?? []).map(heat)),
    ...data.groups.map((g, i) => {
      const words = g.says || (g.drawn ? 'drawn' : 'nothing there');
      const group = el(
        'section',
        { className: 'group', data: { group: i }, 'aria-label': words },
        el(
          'header',
          {},
          el('h2', { className: g.says ? '' : 'bare' }, words),
          tally(g.patches.length),
          el('span', { className: 'space' }),
          q.of
            ? el(
                'label',
                { className: 'give' },
                el('input', {
                  data: { give: '' },
                  inputMode: 'decimal',
                  autocomplete: 'off',
                  maxLength: 7,
                  on: { keydown: (e) => typed(e, group), change: () => take(group) },
                }),
                el('span', { className: 'hint' }, `of ${q.of}`),
              )
            : null,
          q.criteria ? el('button', { className: 'button quiet', on: { click: () => judge(group) } }, 'Judge') : null,
          el('button', { className: 'button quiet', data: { remark: '' }, on: { click: () => remark(group) } }),
        ),
        el('div', { className: 'patches' }, ...g.patches.map(patch)),
      );
      say(group, g);
      return group;
    }),
    el(
      'p',
      { className: 'hint missing' },
      !data.groups.length && !data.missing
        ? 'It is for no student of this course yet.'
        : data.missing
          ? `${count(data.missing, 'student has', 'students have')} not submitted yet`
          : 'All have submitted',
    ),
  );
  onward.textContent = asked().at(-1)?.dataset.asked === q.ref ? 'To the copies' : 'Next question';
}

// typed gives points by Enter, all of them by the space bar, and goes on to the
// next group.
async function typed(e, group) {
  if (e.key !== 'Enter' && e.key !== ' ') return;
  e.preventDefault();
  if (e.key === ' ') e.currentTarget.value = data.question.of;
  if (!(await take(group))) return;
  const next = group.nextElementSibling?.querySelector('[data-give]');
  (next ?? onward).focus();
  next?.select();
}

function kept(at) {
  saved.dataset.state = 'saved';
  saved.querySelector('[data-saved-words]').textContent =
    `Saved ${new Date(at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })}`;
}

// waiting are the points that have not arrived: they are kept like everything
// that is being typed, and sent again until they have.
const thing = `assignment/${root.dataset.across}`;
let waiting = [],
  again = 0;
function waits() {
  drafts.keep(thing, 'across', waiting.length ? waiting : null);
  clearTimeout(again);
  if (!waiting.length) return;
  saved.dataset.state = 'waiting';
  saved.querySelector('[data-saved-words]').textContent =
    `On this device only, ${count(waiting.length, 'change', 'changes')} waiting`;
  again = setTimeout(resend, 3000);
}
async function resend() {
  for (const one of [...waiting]) {
    try {
      await give(one.question, one.given);
    } catch (e) {
      if (!away(e)) toast(e.message);
    }
  }
}
const away = (e) => !e.status || e.status >= 500;
window.addEventListener('online', resend);

// give sends points to copies, and shows what came of it. Those who could not
// take them are named.
async function give(question, given) {
  const one = waiting.find((o) => o.question === question && o.given === given) ?? { question, given };
  let refused, at;
  try {
    ({ refused, at } = await ask(base, { method: 'POST', json: { question, given } }));
    waiting = waiting.filter((o) => o !== one);
  } catch (e) {
    waiting = waiting.filter((o) => o !== one).concat(away(e) ? one : []);
    throw e;
  } finally {
    waits();
  }
  const names = [];
  for (const g of data.groups)
    for (const p of g.patches) {
      const one = given.find((o) => o.copy === p.copy);
      if (!one || data.question.id !== question) continue;
      if (refused[p.copy]) names.push(`${p.student}: ${refused[p.copy]}`);
      else Object.assign(p, { given: one.points, levels: one.levels });
    }
  if (names.length) {
    toast(names.slice(0, 3).join(' ') + (names.length > 3 ? ` And ${names.length - 3} more.` : ''));
    await show(data.question.ref); // as it stands by now
  }
  if (!waiting.length) kept(at);
  for (const group of main.querySelectorAll('.group')) say(group, data.groups[+group.dataset.group]);
  counted();
  return given.filter((o) => !refused[o.copy]);
}

// counted brings the list of questions in line.
function counted() {
  const all = data.groups.flatMap((g) => g.patches),
    got = document.querySelector(`[data-asked="${data.question.ref}"] .got`);
  if (got && data.question.of) got.textContent = `${all.filter((p) => p.given).length} of ${all.length}`;
}

// gifts are points for patches, or the levels that give them, with what is to come
// back when they are undone.
const gifts = (patches, points, levels) =>
  patches.map((p) => ({ copy: p.copy, attempt: p.attempt, points, levels, was: p.given, before: p.levels }));

// giveOnce gives points that one press takes back.
async function giveOnce(question, given) {
  const taken = await give(question, given);
  if (taken.length)
    remember(() =>
      give(
        question,
        taken.map((o) => ({ ...o, points: o.was, levels: o.before, was: o.points, before: o.levels })),
      ),
    );
  return taken;
}

// judge gives the copies that are chosen the levels of the question's criteria.
function judge(group) {
  const all = chosen(group),
    d = dialog('judge'),
    box = d.querySelector('[data-judge]'),
    yes = d.querySelector('[data-yes]'),
    q = data.question;
  d.querySelector('[data-judge-title]').textContent =
    `Question ${q.number.replace(/\.$/, '')}, ${count(all.length, 'copy', 'copies')}`;
  box.replaceChildren(
    el(
      'div',
      { className: 'judging' },
      ...q.criteria.map((c) =>
        el(
          'fieldset',
          { data: { criterion: c.id } },
          el('legend', {}, c.text || 'Criterion'),
          ...c.levels.map((l) =>
            el(
              'label',
              {},
              el('input', {
                type: 'radio',
                name: c.id,
                value: l.id,
                data: { gives: l.gives },
                checked: all.every((p) => p.levels?.[c.id] === l.id),
              }),
              el('b', {}, l.gives),
              el('span', {}, l.text),
            ),
          ),
        ),
      ),
    ),
  );
  const met = () => [...box.querySelectorAll('input:checked')];
  const say = () => {
    yes.disabled = met().length < q.criteria.length;
  };
  box.onchange = say;
  say();
  yes.onclick = async () => {
    const levels = Object.fromEntries(met().map((l) => [l.name, l.value])),
      points = String(met().reduce((n, l) => n + Number(l.dataset.gives), 0));
    try {
      await giveOnce(q.id, gifts(all, points, levels));
      d.close();
    } catch (e) {
      toast(e.message);
    }
  };
  d.showModal();
}

async function take(group) {
  const box = group.querySelector('[data-give]'),
    points = box.value.trim().replace(',', '.'),
    question = data.question.id,
    given = gifts(
      chosen(group).filter((p) => p.given !== points),
      points,
    );
  if (!given.length || (!points && box.placeholder)) return true;
  box.removeAttribute('aria-invalid');
  try {
    const taken = await giveOnce(question, given);
    if (taken.length < given.length) box.setAttribute('aria-invalid', 'true');
    return taken.length === given.length;
  } catch (e) {
    box.setAttribute('aria-invalid', 'true');
    toast(e.message);
    return false;
  }
}

// ready are the ready remarks of the course, once fetched. What is spoken is said on
// each copy by itself.
const remarks = `/courses/${root.dataset.course}/remarks`;
let ready = null;
async function offer(d) {
  const text = d.querySelector('textarea'),
    box = d.querySelector('[data-ready]');
  try {
    ready ??= ((await ask(remarks)) ?? []).filter((r) => !r.sound);
  } catch {
    return; // without a line there are none
  }
  const fit = fitting(
    ready.filter((r) => bare(r.text, r.rich) !== text.value.trim()),
    text.value,
    data.question,
  );
  box.hidden = !fit.length;
  box.replaceChildren(
    ...fit.map((r) =>
      el(
        'button',
        { type: 'button', className: 'ready-one', on: { click: () => lay(r) } },
        el('span', {}, bare(r.text, r.rich)),
        r.short || r.points
          ? el('span', { className: 'hint' }, [r.short, r.points && `${r.points} points`].filter(Boolean).join(' · '))
          : '',
      ),
    ),
  );
  function lay(r) {
    text.value = bare(r.text, r.rich);
    d.dataset.points = r.points ?? '';
    r.used[data.question.id] = new Date().toISOString();
    ask(`${remarks}/${r.id}`, { method: 'POST', form: { do: 'use', question: data.question.id } }).catch(() => {}); // it only sorts
    offer(d);
    text.focus();
  }
}

// remark puts a note beside the question on the copies that are chosen. One that
// was ready brings its points to those that have none.
function remark(group) {
  const all = chosen(group),
    d = dialog('remark'),
    text = d.querySelector('textarea'),
    wrong = d.querySelector('[data-wrong]');
  d.querySelector('[data-remark-title]').textContent = `A remark to ${count(all.length, 'copy', 'copies')}`;
  wrong.hidden = true;
  d.dataset.points = '';
  text.oninput = () => {
    d.dataset.points = '';
    offer(d);
  };
  offer(d);
  const q = data.question;
  d.querySelector('[data-yes]').onclick = async () => {
    if (!text.value.trim()) {
      wrong.hidden = false;
      wrong.textContent = 'Write something first.';
      return;
    }
    const copies = all.map((p) => {
      const on = newId(),
        mark = {
          id: on,
          page: p.page,
          kind: 'note',
          body: { at: [p.rect[2] - 12, p.rect[1] + 8], text: filled(text.value.trim(), p.student, q) },
        };
      return { copy: p.copy, layer: `feedback.${p.attempt}`, ops: [{ id: newId(), on, mark }] };
    });
    try {
      await send(copies);
      d.close();
      text.value = '';
      toast(`Beside the question on ${count(copies.length, 'copy', 'copies')}. They see it when it is returned.`);
      const bare = all.filter((p) => !p.given),
        gift = d.dataset.points,
        taken = gift && q.of && +gift <= +q.of && bare.length ? await give(q.id, gifts(bare, gift)) : [];
      remember(async () => {
        await send(copies.map((c) => ({ ...c, ops: [{ id: newId(), on: c.ops[0].on, base: c.ops[0].id }] })));
        if (taken.length)
          await give(
            q.id,
            taken.map((o) => ({ ...o, points: '', was: o.points })),
          );
      });
    } catch (e) {
      wrong.hidden = false;
      wrong.textContent = e.message;
    }
  };
  d.showModal();
}

async function send(copies) {
  const { refused, at } = await ask(`${base}/ops`, { method: 'POST', json: { copies } });
  const why = Object.values(refused);
  if (why.length) throw new Error(`${count(why.length, 'copy', 'copies')} could not take it: ${why[0]}`);
  kept(at);
}

function remember(back) {
  done.push(back);
  undo.disabled = false;
}
async function takeBack() {
  const back = done.pop();
  undo.disabled = !done.length;
  try {
    await back?.();
  } catch (e) {
    toast(e.message);
  }
}

async function show(question) {
  try {
    const next = await ask(`${base}?question=${encodeURIComponent(question)}`);
    data = next;
    for (const q of next.asked) {
      const got = document.querySelector(`[data-asked="${q.ref}"] .got`);
      if (got) got.textContent = q.of ? `${q.scored} of ${q.copies}` : '';
    }
    history.replaceState(null, '', `?question=${encodeURIComponent(question)}`);
    draw();
  } catch (e) {
    toast(e.message);
  }
}

async function step(d) {
  const all = asked(),
    next = all[all.findIndex((a) => a.dataset.asked === data.question.ref) + d];
  if (!next) {
    if (d > 0) location.href = `/assignments/${root.dataset.across}/marking`;
    return;
  }
  await show(next.dataset.asked);
  main.scrollTop = 0;
  main.querySelector('[data-give]')?.focus();
}

onward.addEventListener('click', () => step(1));
undo.addEventListener('click', takeBack);
document.querySelector('.asked').addEventListener('click', (e) => {
  const a = /** @type {HTMLElement} */ (e.target).closest('a');
  if (!a || e.ctrlKey || e.metaKey) return;
  e.preventDefault();
  show(a.dataset.asked);
});
for (const b of document.querySelectorAll('[data-size]'))
  b.addEventListener('click', () => {
    zoom = Math.min(2.5, Math.max(0.4, zoom * 1.25 ** +b.dataset.size));
    draw();
  });
document.addEventListener('keydown', (e) => {
  const typing = /** @type {HTMLElement} */ (e.target).matches('input, textarea');
  if ((e.ctrlKey || e.metaKey) && e.key === 'z' && !typing) {
    e.preventDefault();
    takeBack();
  }
  if (e.key === ']') (e.preventDefault(), step(1));
  if (e.key === '[') (e.preventDefault(), step(-1));
});
draw();
drafts.begin(+root.dataset.person, thing).then(() => {
  waiting = drafts.of(thing, 'across') ?? [];
  resend();
});
