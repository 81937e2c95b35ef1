// marking has the teacher's side: points and remark in the margin's head, the
// roll, going from copy to copy without leaving the screen, returning.

import { el } from './paint.js';
import { ask, post } from './net.js';
import { question } from './dialogs.js';
import { toast } from './toast.js';
import { marks } from './marks.js';
import { extra } from './keys.js';
import * as queue from './queue.js';
import { fit, surface } from './surface.js';
import * as drafts from './drafts.js';

const top = document.querySelector('[data-top]'),
  roll = document.querySelector('[data-roll]'),
  main = document.querySelector('[data-do="main"]');
const ahead = new Map(); // copies loaded before they are asked for
export const marking = { open: /** @type {(view: any) => Promise<void>} */ (async () => {}) };

const date = (t) =>
  new Date(t).toLocaleString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    hour12: false,
    timeZone: marks.view.zone,
  });
const span = (m) => (m < 60 ? `${m} min` : m < 2880 ? `${Math.floor(m / 60)} h` : `${Math.floor(m / 1440)} days`);
let timer = 0,
  unsaved = null; // {copy, attempt, points, remark} as they were typed

export function draw(v) {
  const typed = drafts.of(`copy/${v.copy}`, `given/${v.attempt}`); // and not taken
  if (typed) {
    unsaved = { copy: v.copy, attempt: v.attempt, ...typed };
    clearTimeout(timer);
    timer = setTimeout(() => give().catch(() => {}), 700);
  }
  const lines = [
    el(
      'p',
      { className: 'flex justify-between gap-2' },
      el('strong', {}, v.student),
      el('span', { className: 'hint' }, date(v.receipt.at)),
    ),
  ];
  if (v.receipt.late) lines.push(el('p', { className: 'text-rule-ink text-sm' }, `late by ${span(v.receipt.late)}`));
  if (v.attempts > 1)
    lines.push(
      el(
        'p',
        { className: 'flex gap-1 my-1' },
        ...Array.from({ length: v.attempts }, (_, i) =>
          el(
            'button',
            {
              className: `button ${i + 1 === v.attempt ? 'dark' : ''}`,
              'aria-pressed': String(i + 1 === v.attempt),
              on: { click: () => go(v.copy, i + 1) },
            },
            `Attempt ${i + 1}`,
          ),
        ),
      ),
    );
  if (v.line) lines.push(el('p', { className: 'my-1' }, `“${v.line}”`));
  if (v.pointsOf) {
    lines.push(
      el(
        'p',
        { className: 'tally my-2' },
        el('label', { htmlFor: 'points', className: 'font-semibold grow' }, 'Points'),
        el('input', {
          id: 'points',
          inputMode: 'decimal',
          autocomplete: 'off',
          value: typed?.points ?? v.given ?? '',
          on: {
            input: () => later(),
            keydown: (e) => {
              if (e.key === 'Enter') {
                e.target.blur();
                give();
              }
            },
          },
        }),
        el('span', { className: 'hint' }, `of ${v.pointsOf}`),
      ),
    );
  }
  lines.push(
    el('label', { className: 'sr-only', htmlFor: 'remark' }, 'Overall remark'),
    el('textarea', {
      id: 'remark',
      rows: 2,
      placeholder: 'Overall remark',
      maxLength: 5000,
      value: typed?.remark ?? v.remark ?? '',
      on: { input: () => later() },
    }),
  );
  if (v.waiting)
    lines.push(
      el(
        'p',
        { className: 'hint' },
        `${v.waiting} ${v.waiting === 1 ? 'change' : 'changes'} came after submitting and ${v.waiting === 1 ? 'is' : 'are'} not in this attempt.`,
      ),
    );
  if (v.held)
    lines.push(
      el(
        'button',
        {
          className: 'button my-1',
          'aria-pressed': String(!held.hidden),
          data: { answers: '' },
          on: { click: beside },
        },
        v.held === 1 ? 'Held-back page' : `${v.held} held-back pages`,
      ),
    );
  lines.push(el('p', { className: 'hint', data: { others: '' }, role: 'status' }));
  if (v.returnedAt)
    lines.push(
      el('p', { className: 'hint' }, v.unsent ? 'Changed since it was returned.' : `Returned ${date(v.returnedAt)}.`),
    );
  top.replaceChildren(...lines);
  showHeld();
  main.textContent = v.returnedAt ? 'Return again' : 'Return';
  document.querySelector('[data-do="take-away"]').href = `/copies/${v.copy}/print?attempt=${v.attempt}`;
  document.querySelector('[data-about]').textContent = ` · ${v.student}`;
  for (const a of roll.querySelectorAll('a')) a.setAttribute('aria-current', String(a.dataset.copy === String(v.copy)));
  roll.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest' });
  who();
  lookAhead();
}

// beside shows the pages that students do not get next to the student's page.
const held = el('section', { className: 'held', hidden: true, tabIndex: 0, 'aria-label': 'Held-back pages' });
document.querySelector('[data-screen]').append(held);
function beside() {
  held.hidden = !held.hidden;
  showHeld();
  fit('width');
}

// showHeld shows what is held back of the copy that is open; another copy may
// be of another revision, or have nothing held back.
function showHeld() {
  const v = marks.view;
  if (!v.held) held.hidden = true;
  document.querySelector('[data-screen]').classList.toggle('with-held', !held.hidden);
  top.querySelector('[data-answers]')?.setAttribute('aria-pressed', String(!held.hidden));
  if (held.hidden || held.dataset.sheet === String(v.sheet)) return;
  held.dataset.sheet = v.sheet;
  held.replaceChildren(
    el('p', { className: 'hint' }, 'Held back: no student sees this'),
    ...Array.from({ length: v.held }, (_, i) =>
      el('img', { src: `/sheets/${v.sheet}/held/${i + 1}/150`, alt: `Held-back page ${i + 1}` }),
    ),
  );
}

// later takes what is typed in the head soon; as a draft it is kept at once.
function later() {
  const { copy, attempt } = marks.view,
    value = (id) => document.querySelector(id)?.value ?? '';
  unsaved = { copy, attempt, points: value('#points'), remark: value('#remark') };
  drafts.keep(`copy/${copy}`, `given/${attempt}`, { points: unsaved.points, remark: unsaved.remark });
  clearTimeout(timer);
  timer = setTimeout(() => give().catch(() => {}), 700);
}

// give keeps points and remark with the attempt that they were typed for,
// whichever copy is open by now.
async function give({ keepalive = false } = {}) {
  clearTimeout(timer);
  if (!unsaved) return;
  const { copy, attempt, points, remark } = unsaved,
    sent = unsaved;
  unsaved = null;
  const field = () =>
    marks.view.copy === copy && marks.view.attempt === attempt ? document.querySelector('#points') : null;
  try {
    const a = await ask(`/copies/${copy}/points`, { method: 'POST', form: { attempt, points, remark }, keepalive });
    if (!unsaved) drafts.drop(`copy/${copy}`, `given/${attempt}`);
    ahead.delete(copy);
    field()?.removeAttribute('aria-invalid');
    if (field()) marks.view.given = points || null;
    queue.savedSince(new Date(a.at));
    refreshRoll();
  } catch (e) {
    if (field()) unsaved ??= sent; // elsewhere it waits as a draft
    field()?.setAttribute('aria-invalid', 'true');
    queue.say(`Not saved: ${e.message}`);
    toast(e.message);
    throw e;
  }
}

async function refreshRoll() {
  await window.htmx.ajax('GET', `/assignments/${marks.view.assignment}/roll`, { target: roll, swap: 'innerHTML' });
  for (const a of roll.querySelectorAll('a'))
    a.setAttribute('aria-current', String(a.dataset.copy === String(marks.view.copy)));
}

const copies = () => [...roll.querySelectorAll('a')].map((a) => +a.dataset.copy);
const fetchView = (id, attempt) => ask(`/copies/${id}/marking${attempt ? `?attempt=${attempt}` : ''}`);

function lookAhead() {
  const all = copies(),
    i = all.indexOf(marks.view.copy);
  for (const id of [all[i + 1], all[i - 1]])
    if (id && !ahead.has(id))
      ahead.set(
        id,
        fetchView(id).catch(() => {
          ahead.delete(id);
          return null;
        }),
      );
}

export async function go(id, attempt) {
  await give().catch(() => {}); // what was not taken stands there again when one comes back
  const view =
    (!attempt && (await ahead.get(id))) ||
    (await fetchView(id, attempt).catch((e) => {
      toast(e.message);
      return null;
    }));
  ahead.delete(id);
  if (!view) return;
  const place = { top: surface.desk.scrollTop, left: surface.desk.scrollLeft };
  await marking.open(view);
  surface.desk.scrollTo(place.left, place.top);
  history.replaceState(
    null,
    '',
    `/assignments/${view.assignment}/marking?copy=${view.copy}${attempt ? `&attempt=${attempt}` : ''}`,
  );
}

function step(d) {
  const all = copies(),
    next = all[all.indexOf(marks.view.copy) + d];
  if (next) go(next);
  else toast(d > 0 ? 'This is the last copy on the roll.' : 'This is the first copy on the roll.');
}

let watching = 0;
async function who() {
  clearTimeout(watching);
  const names = await ask(`/copies/${marks.view.copy}/others`, { retry: false }).catch(() => []);
  const box = document.querySelector('[data-others]');
  if (box)
    box.textContent = names.length
      ? `${names.join(' and ')} ${names.length > 1 ? 'have' : 'has'} this copy open too.`
      : '';
  watching = setTimeout(who, 10000);
}

// giveBack returns the copy, and asks first when it has no points; it says
// whether it did.
async function giveBack(pointless = '') {
  try {
    await post(`/copies/${marks.view.copy}/return`, { attempt: marks.view.attempt, pointless });
    return true;
  } catch (e) {
    if (e.code !== 'no points') throw e;
    return (
      (await question(
        'Return it without points?',
        `${marks.view.student} will read that no points were given, of ${marks.view.pointsOf}.`,
        'Return without points',
      )) && giveBack('1')
    );
  }
}

export function begin() {
  extra['['] = () => step(-1);
  extra[']'] = () => step(1);
  extra.p = () => {
    const f = document.querySelector('#points');
    f?.focus();
    f?.select();
  };
  roll.addEventListener('click', (e) => {
    const a = e.target.closest('a');
    if (!a || e.ctrlKey || e.metaKey) return;
    e.preventDefault();
    go(+a.dataset.copy);
  });
  roll.addEventListener('keydown', (e) => {
    const d = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (!d) return;
    e.preventDefault();
    step(d);
    setTimeout(() => roll.querySelector('[aria-current="true"]')?.focus(), 60);
  });
  main.addEventListener('click', async () => {
    try {
      await give();
      await queue.drained();
      if (!(await giveBack())) return;
      toast(`Returned to ${marks.view.student}.`);
      const v = await fetchView(marks.view.copy, marks.view.attempt);
      await refreshRoll();
      const place = surface.desk.scrollTop;
      await marking.open(v);
      surface.desk.scrollTop = place;
    } catch (e) {
      toast(e.message);
    }
  });
  document.querySelector('[data-do="return-all"]').addEventListener('click', async () => {
    try {
      await give();
      await queue.drained();
      if (
        !(await question(
          'Return all marked copies?',
          'Every copy of this assignment that has points goes back to its student with your feedback.',
          'Return them',
        ))
      )
        return;
      const { returned } = await post(`/assignments/${marks.view.assignment}/return`);
      toast(returned === 1 ? '1 copy was returned.' : `${returned} copies were returned.`);
      ahead.clear();
      await refreshRoll();
      await marking.open(await fetchView(marks.view.copy, marks.view.attempt));
    } catch (e) {
      toast(e.message);
    }
  });
  window.addEventListener('pagehide', () => give({ keepalive: true }).catch(() => {}));
}
