// ready has what a teacher says often: found by a few letters or a short key
// while a remark is being written, kept by one press.

import { el } from './paint.js';
import { ask, post } from './net.js';
import { toast } from './toast.js';
import { marks } from './marks.js';
import { surface } from './surface.js';
import { arrange } from './margin.js';

const margin = document.querySelector('[data-margin]'),
  MOST = 5; // that are offered at once
let all = null, // once fetched
  course = 0,
  panel = null; // under what is being written

const base = () => `/courses/${marks.view.courseOf}/remarks`;

async function fetched() {
  if (all && course === marks.view.courseOf) return all;
  course = marks.view.courseOf;
  all = (await ask(base())) ?? [];
  return all;
}

// questionOf is the question beside which something is written: the last one
// whose points stand above it.
function questionOf(area) {
  const card = area.closest('article');
  if (!card) return null;
  const top = card.getBoundingClientRect().top + 30;
  let found = null;
  for (const q of marks.view.questions ?? []) {
    const tag = surface.desk.querySelector(`[data-tag-of="${q.id}"]`);
    if (tag && tag.getBoundingClientRect().top <= top) found = q;
  }
  return found;
}

// filled is a remark with its places filled in.
function filled(text, q) {
  return text
    .replaceAll('{first name}', marks.view.student.split(' ')[0])
    .replaceAll('{question}', q ? q.number.replace(/[.)]+$/, '') : 'this question');
}

// fitting are the remarks that what was typed finds, the one last used at this
// question first.
function fitting(typed, q) {
  const t = typed.trim().toLowerCase(),
    when = (r) => r.used[q?.id ?? ''] ?? '';
  return all
    .filter(
      (r) => !t || (r.short && r.short.toLowerCase().startsWith(t)) || ` ${r.text.toLowerCase()}`.includes(` ${t}`),
    )
    .filter((r) => filled(r.text, q) !== typed.trim())
    .sort(
      (a, b) =>
        Number(b.short.toLowerCase() === t && !!t) - Number(a.short.toLowerCase() === t && !!t) ||
        when(b).localeCompare(when(a)),
    )
    .slice(0, MOST);
}

function close() {
  panel?.remove();
  panel = null;
}

async function offer(area) {
  if (!marks.view.teacher) return;
  try {
    await fetched();
  } catch {
    return; // without a line there are none
  }
  if (document.activeElement !== area && !panel?.contains(document.activeElement)) return;
  const q = questionOf(area),
    fit = fitting(area.value, q),
    known = all.find((r) => filled(r.text, q) === area.value.trim());
  close();
  const rows = fit.map((r) =>
    el(
      'button',
      { type: 'button', className: 'ready-one', on: { click: () => take(area, r, q) } },
      el('span', {}, filled(r.text, q)),
      r.short || r.points
        ? el('span', { className: 'hint' }, [r.short, r.points && `${r.points} points`].filter(Boolean).join(' · '))
        : '',
    ),
  );
  if (area.value.trim() && !known)
    rows.push(
      el(
        'button',
        { type: 'button', className: 'ready-keep', on: { click: () => keep(area) } },
        'Keep it to be used again',
      ),
    );
  if (known?.mine)
    rows.push(
      el(
        'button',
        { type: 'button', className: 'ready-keep', on: { click: () => drop(area, known) } },
        'Keep it no longer',
      ),
    );
  if (!rows.length) return;
  panel = el(
    'div',
    {
      className: 'ready',
      role: 'group',
      'aria-label': q ? `Ready remarks for question ${q.number.replace(/[.)]+$/, '')}` : 'Ready remarks',
    },
    ...rows,
  );
  const card = area.closest('article');
  if (card)
    card.append(panel); // below its buttons, which stay under the hand
  else area.after(panel);
  arrange();
}

function take(area, r, q) {
  area.value = filled(r.text, q);
  area.dispatchEvent(new Event('input', { bubbles: true }));
  area.focus();
  r.used[q?.id ?? ''] = new Date().toISOString();
  post(`${base()}/${r.id}`, { do: 'use', question: q?.id ?? '' }).catch(() => {}); // it only sorts
  const box = q && r.points && document.querySelector(`[data-question="${q.id}"]`);
  if (box && !box.value) {
    box.value = r.points;
    box.dispatchEvent(new Event('input', { bubbles: true }));
  }
  close();
  arrange();
}

// keep keeps what is written, with a short key, with points and for all who mark
// here, when one likes.
function keep(area) {
  const text = area.value.trim(),
    q = questionOf(area),
    given = q && /** @type {HTMLInputElement} */ (document.querySelector(`[data-question="${q.id}"]`))?.value,
    points = el('input', {
      className: 'field',
      inputMode: 'decimal',
      maxLength: 7,
      placeholder: 'Points',
      'aria-label': 'Points that it comes with, if you like',
      value: given ?? '',
    }),
    short = el('input', {
      className: 'field',
      maxLength: 20,
      placeholder: 'Short key',
      'aria-label': 'A short key, if you like',
    }),
    shared = el('input', { type: 'checkbox', className: 'size-5' }),
    form = el(
      'div',
      { className: 'ready-form' },
      el('div', { className: 'flex gap-1' }, short, points),
      el('label', {}, shared, ' for all who mark in this course'),
      el('button', { type: 'button', className: 'button', on: { click: send } }, 'Keep it'),
    );
  async function send() {
    try {
      const r = await ask(base(), {
        method: 'POST',
        form: { text, short: short.value, points: points.value, shared: shared.checked ? 'yes' : '' },
      });
      all = all
        .filter((o) => o.id !== r.id)
        .concat({ ...r, points: points.value.trim().replace(',', '.'), mine: true, used: {} });
      toast('It is ready to be used again.');
      close();
      area.focus();
      arrange();
    } catch (e) {
      toast(e.message);
    }
  }
  panel.replaceChildren(form);
  short.focus();
  arrange();
}

async function drop(area, r) {
  try {
    await post(`${base()}/${r.id}`, { do: 'drop' });
    all = all.filter((o) => o !== r);
    close();
    area.focus();
  } catch (e) {
    toast(e.message);
  }
}

const writing = (e) => (e.target.matches?.('[data-margin] textarea') ? e.target : null);
margin.addEventListener('focusin', (e) => {
  const area = writing(e);
  if (area) offer(area);
  else if (!panel?.contains(/** @type {Node} */ (e.target))) close();
});
margin.addEventListener('input', (e) => {
  const area = writing(e);
  if (area) offer(area);
});
document.addEventListener('pointerdown', (e) => {
  if (
    panel &&
    !panel.contains(/** @type {Node} */ (e.target)) &&
    !(/** @type {HTMLElement} */ (e.target).matches('textarea'))
  )
    close();
});
