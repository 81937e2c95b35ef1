// since shows a teacher what a student changed since the attempt before: on the
// page, as a list, and side by side.

import { el, layer, paint } from './paint.js';
import { ask } from './net.js';
import { toast } from './toast.js';
import { find, marks } from './marks.js';
import { fit, goTo, surface } from './surface.js';
import { seen } from './seen.js';
import { called } from './panel.js';

const top = document.querySelector('[data-top]'),
  screen = document.querySelector('[data-screen]'),
  before = el('section', { className: 'held before', hidden: true, tabIndex: 0, 'aria-label': 'The attempt before' });
screen.append(before);
let on = false; // what was changed is shown

// draw brings the page in line when another copy or attempt is opened.
export function draw() {
  clear();
  if (!marks.view.since) {
    on = false;
    beside(false);
    return;
  }
  if (!before.hidden) beside(true);
  if (on) show();
}

function clear() {
  for (const g of surface.desk.querySelectorAll('.fresh, .altered')) g.classList.remove('fresh', 'altered');
  for (const s of surface.desk.querySelectorAll('svg.gone')) s.remove();
}

function show() {
  const { added, changed, gone } = marks.view.since,
    list = top.querySelector('[data-since-list]');
  top.querySelector('[data-since]')?.setAttribute('aria-pressed', 'true');
  const line = (words, m, go) => el('li', {}, el('button', { on: { click: go } }, el('b', {}, words), ` ${called(m)}`));
  const here = (ids, words, name) =>
    (ids ?? []).flatMap((id) => {
      const e = find(id);
      if (!e) return [];
      for (const g of e.groups) g.classList.add(name);
      return line(words, e.mark, () => goTo(e.mark.page, e.groups[0]?.getBBox?.().y ?? 0));
    });
  const left = gone.map((m) => {
    const s = surface.sheets.find((x) => x.number === m.mark.page);
    if (s) {
      const of = { washes: layer('gone', s), marks: layer('gone', s) };
      s.box.append(of.washes, of.marks);
      paint(of, { ...m, groups: [] });
    }
    return line('Gone', m.mark, () => goTo(m.mark.page, 0));
  });
  list.hidden = false;
  list.replaceChildren(...here(added, 'New', 'fresh'), ...here(changed, 'Changed', 'altered'), ...left);
}

function toggle() {
  on = !on;
  clear();
  if (on) {
    show();
    return;
  }
  top.querySelector('[data-since]').setAttribute('aria-pressed', 'false');
  top.querySelector('[data-since-list]').hidden = true;
}

// beside lays the pages of the attempt before next to these.
async function beside(open) {
  before.hidden = !open;
  screen.classList.toggle('with-held', !!screen.querySelector('.held:not([hidden])'));
  top.querySelector('[data-beside]')?.setAttribute('aria-pressed', String(open));
  if (!open) return;
  const { copy, attempt } = marks.view,
    was = await ask(`/copies/${copy}/marking?attempt=${attempt - 1}`);
  if (marks.view.copy !== copy || marks.view.attempt !== attempt) return;
  const width = before.clientWidth - 44; // without its edges and what scrolls it
  before.replaceChildren(
    el('p', { className: 'hint' }, `Attempt ${attempt - 1}`),
    ...surface.sheets
      .filter((s) => !s.added)
      .map((s) =>
        seen(
          s,
          width,
          was.marks.filter((m) => m.mark.page === s.number && m.shapes.length),
        ),
      ),
  );
}

top.addEventListener('click', (e) => {
  const b = /** @type {HTMLElement} */ (e.target);
  if (b.closest('[data-since]')) toggle();
  if (!b.closest('[data-beside]')) return;
  for (const other of screen.querySelectorAll('.held:not(.before)')) other.hidden = true;
  beside(before.hidden)
    .then(() => fit('width'))
    .catch((error) => toast(error.message));
});
