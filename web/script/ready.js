// ready has what a teacher says often: found by a few letters or a short key
// while a remark is being written, kept by one press.

import { el, icon } from './paint.js';
import { ask, post } from './net.js';
import { toast } from './toast.js';
import { marks } from './marks.js';
import { surface } from './surface.js';
import { arrange } from './margin.js';
import { filled, fitting } from './remarks.js';
import { bare, write } from './prosaic.js';

const margin = document.querySelector('[data-margin]');
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

// said is a remark for the student whose copy is open.
const said = (r, q) => filled(r.text, marks.view.student, q);

const same = (r, q, area) => said(r, q) === area.value.trim() && !!r.rich === !!area.rich;

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
  const focused = /** @type {any} */ (document.activeElement);
  if ((focused?.of ?? focused) !== area && !panel?.contains(focused)) return;
  const q = questionOf(area),
    fit = fitting(
      all.filter((r) => !same(r, q, area) && (!r.sound || area.speaks)),
      bare(area.value, area.rich),
      q,
    ),
    known = all.find((r) => same(r, q, area));
  close();
  const rows = fit.map((r) =>
    el(
      'button',
      { type: 'button', className: 'ready-one', on: { click: () => take(area, r, q) } },
      r.sound ? icon('voice') : '',
      el('span', {}, bare(said(r, q), r.rich)),
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

async function take(area, r, q) {
  if (r.sound) {
    try {
      const form = { do: 'speak', copy: marks.view.copy, layer: marks.view.edit };
      area.speaks(await ask(`${base()}/${r.id}`, { method: 'POST', form }), said(r, q));
    } catch (e) {
      toast(e.message);
      return;
    }
  } else {
    write(area, { text: said(r, q), rich: r.rich });
    area.dispatchEvent(new Event('input', { bubbles: true }));
    if (r.rich) area.dispatchEvent(new Event('formed'));
    area.focus();
  }
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

// keep asks with what a remark is kept: a short key, points, and whether it is for
// all who mark here. Spoken, it needs words to be found by.
function keep(area, { sound = '', says = '' } = {}) {
  const card = area.closest('article'),
    q = questionOf(area),
    given = q && /** @type {HTMLInputElement} */ (document.querySelector(`[data-question="${q.id}"]`))?.value,
    words = sound
      ? el('textarea', {
          className: 'field',
          rows: 2,
          maxLength: 2000,
          placeholder: 'What it says',
          'aria-label': 'What it says, to find it by and for those who cannot hear',
          value: says,
        })
      : null,
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
      words,
      el('div', { className: 'flex gap-1' }, short, points),
      el('label', {}, shared, ' for all who mark in this course'),
      el('button', { type: 'button', className: 'button', on: { click: send } }, 'Keep it'),
    );
  async function send() {
    try {
      const r = await ask(base(), {
        method: 'POST',
        form: {
          text: (words ?? area).value.trim(),
          rich: area.rich && !words ? 'yes' : '',
          short: short.value,
          points: points.value,
          shared: shared.checked ? 'yes' : '',
          sound,
          copy: marks.view.copy,
        },
      });
      await fetched();
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
  if (panel) panel.replaceChildren(form);
  else {
    panel = el('div', { className: 'ready', role: 'group', 'aria-label': 'Keep it to be used again' }, form);
    card.append(panel);
  }
  (words ?? short).focus();
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

const writing = (e) => {
  const field = e.target.of ?? e.target; // behind the editor for words with a form
  return field.matches?.('[data-margin] textarea:not(.ready textarea)') ? field : null;
};
margin.addEventListener('focusin', (e) => {
  const area = writing(e);
  if (area) offer(area);
  else if (!panel?.contains(/** @type {Node} */ (e.target))) close();
});
margin.addEventListener('input', (e) => {
  const area = writing(e);
  if (area) offer(area);
});
margin.addEventListener('click', (e) => {
  const b = /** @type {HTMLElement} */ (e.target).closest('[data-keep-voice]');
  if (!(b instanceof HTMLElement)) return;
  close();
  keep(b, { sound: b.dataset.keepVoice, says: b.dataset.says });
});
document.addEventListener('pointerdown', (e) => {
  if (
    panel &&
    !panel.contains(/** @type {Node} */ (e.target)) &&
    !(/** @type {HTMLElement} */ (e.target).closest('textarea, .prose'))
  )
    close();
});
