// ownkey lets students say on a copy that is to keep what colours and shapes mean to
// them, and bring pages of their own.

import { el } from './paint.js';
import { ask, post } from './net.js';
import { dialog } from './dialogs.js';
import { marks } from './marks.js';
import { WASHES } from './settings.js';
import { toast } from './toast.js';
import * as queue from './queue.js';

const SHAPES = {
  '': 'every kind of mark',
  highlight: 'highlights',
  underline: 'underlines',
  circle: 'circles',
  box: 'boxes',
};

// row is one meaning while it is set: what it is called, its colour, what carries it.
function row(m) {
  const name = el('input', {
      className: 'field grow',
      maxLength: 40,
      value: m.name ?? '',
      placeholder: 'What it means',
      'aria-label': 'What it means',
    }),
    color = el(
      'select',
      { className: 'field w-auto', 'aria-label': 'Colour' },
      ...Object.entries(WASHES).map(([n, v]) => el('option', { value: v, selected: v === m.color }, n)),
    ),
    shape = el(
      'select',
      { className: 'field w-auto', 'aria-label': 'Carried by' },
      ...Object.entries(SHAPES).map(([v, n]) => el('option', { value: v, selected: v === (m.shape ?? '') }, n)),
    ),
    box = el(
      'div',
      { className: 'flex flex-wrap gap-2 items-center', role: 'group', 'aria-label': m.name || 'A new meaning' },
      name,
      color,
      shape,
      el('button', { className: 'button quiet', type: 'button', on: { click: () => box.remove() } }, 'Take out'),
    );
  box.value = () => ({ name: name.value.trim(), color: color.value, ...(shape.value ? { shape: shape.value } : {}) });
  return box;
}

// signed gives every meaning a sign that no other has: its first letters, or a number.
function signed(all, taken) {
  return all.map((m, i) => {
    const letters = [...m.name.toUpperCase()].filter((c) => c.trim());
    let sign = String(i + 1);
    for (let n = Math.min(3, letters.length); n > 0; n--)
      if (!taken.has(letters.slice(0, n).join(''))) sign = letters.slice(0, n).join('');
    taken.add(sign);
    return { ...m, sign };
  });
}

// setKey asks what colours mean.
export function setKey() {
  const d = dialog('own-key'),
    rows = d.querySelector('[data-own-key]'),
    wrong = d.querySelector('[data-wrong]'),
    own = marks.view.ownKey ?? [];
  const free = () => {
    const used = new Set([...rows.children].map((r) => r.value().color));
    return Object.values(WASHES).find((v) => !used.has(v));
  };
  wrong.hidden = true;
  rows.replaceChildren(...own.map(row));
  if (!own.length) rows.append(row({ color: free() }));
  d.querySelector('[data-more]').onclick = () => {
    const r = row({ color: free() });
    rows.append(r);
    r.querySelector('input').focus();
  };
  d.querySelector('[data-yes]').onclick = async () => {
    const ofSheet = (marks.view.key ?? []).filter((m) => !own.some((o) => o.name === m.name)),
      key = signed(
        [...rows.children].map((r) => r.value()).filter((m) => m.name),
        new Set(ofSheet.map((m) => m.sign)),
      );
    try {
      await queue.drained();
      await post(`/copies/${marks.view.copy}/keep`, { do: 'key', key: JSON.stringify(key) });
      location.reload();
    } catch (e) {
      wrong.hidden = false;
      wrong.textContent = e.message;
    }
  };
  d.showModal();
}

// letLook lets the teachers look at the copy, or no longer.
export async function letLook(yes) {
  try {
    await post(`/copies/${marks.view.copy}/keep`, { do: yes ? 'show' : 'hide' });
    location.reload();
  } catch (e) {
    toast(e.message);
  }
}

// bring lays the copy on pages that are chosen.
export function bring() {
  const input = el('input', { type: 'file', accept: 'application/pdf,image/*', multiple: true });
  input.addEventListener('change', async () => {
    if (!input.files.length) return;
    const body = new FormData();
    for (const f of input.files) body.append('file', f);
    toast('Bringing your pages in…', { stays: true });
    try {
      await queue.drained();
      await ask(`/copies/${marks.view.copy}/bring`, { method: 'POST', body });
      location.reload();
    } catch (e) {
      toast(e.message);
    }
  });
  input.click();
}
