// tags shows the points of each question beside it on the page. Who marks gives
// them there by a press, without a keyboard.

import { el, icon } from './paint.js';
import { goTo, sheetOf, surface } from './surface.js';

const MOST = 13; // values to press at once
let strip = null; // what is open to be pressed

// draw puts the signs on the pages. box gives what a question has in the margin,
// and give takes what was pressed; a student has neither.
export function draw(view, { box, give, criteria } = /** @type {any} */ ({})) {
  close();
  for (const tag of surface.desk.querySelectorAll('.tag')) tag.remove();
  if (!view.teacher && view.feedback !== view.attempt) return; // they are not of what is shown
  for (const q of view.questions ?? []) {
    const s = sheetOf(q.page);
    if (!s || (!give && !q.given)) continue;
    const tag = el(give ? 'button' : 'p', { className: 'tag', data: { tagOf: q.id } });
    tag.style.top = `${(100 * q.tag) / s.h}%`;
    if (give) {
      tag.addEventListener('click', () => open(view, q, tag, give, criteria(q.id)));
      tag.addEventListener('pointerdown', ours);
    }
    s.box.append(tag);
    say(tag, q, give ? box(q.id).value : q.given);
  }
  for (const v of surface.desk.querySelectorAll('.verdict')) v.remove();
  for (const f of view.found ?? []) for (const b of f.blanks ?? []) verdict(b);
}

// judged offers the levels of a criterion.
function judged(c, then) {
  const row = el('div', { className: 'levels', role: 'group', 'aria-label': c.text }, el('b', {}, c.text)),
    buttons = c.levels.map((l) =>
      el('button', { on: { click: () => (l.choose(), show(), then()) } }, el('b', {}, l.gives), ` ${l.text}`),
    ),
    show = () => buttons.forEach((b, i) => b.setAttribute('aria-pressed', String(c.levels[i].met())));
  show();
  row.append(...buttons);
  return row;
}

// verdict shows how what stands in a place compares with what is expected there:
// a sign for who marks, and no mark.
const SIGNS = { agrees: 'check', differs: 'cross' };
function verdict(b) {
  const s = sheetOf(b.page);
  if (!s) return;
  const v = el(
    'span',
    { className: 'verdict', data: { is: b.is }, role: 'img', 'aria-label': `As expected: ${b.is}`, title: b.is },
    SIGNS[b.is] ? icon(SIGNS[b.is]) : '?',
  );
  v.style.left = `${(100 * b.rect[2]) / s.w}%`;
  v.style.top = `${(100 * b.rect[1]) / s.h}%`;
  s.box.append(v);
}

// ours keeps a press from the instrument in hand.
const ours = (e) => e.stopPropagation();

function say(tag, q, given) {
  tag.textContent = given.trim() ? `${given.trim()} of ${q.of}` : `of ${q.of}`;
  tag.classList.toggle('bare', !given.trim());
  tag.setAttribute('aria-label', `Question ${q.number}: ${given.trim() || 'no points yet'}, of ${q.of}`);
}

// tell shows what the margin has by now.
export function tell(view, box) {
  for (const q of view.questions ?? []) {
    const tag = surface.desk.querySelector(`[data-tag-of="${q.id}"]`);
    if (tag) say(tag, q, box(q.id).value);
  }
}

// values are the points to press, from none to all, in steps that a hand can
// choose from.
function values(of, step) {
  const wide = [step, 0.25, 0.5, 1, 2, 5, 10, 25, 50, 100].find((w) => w >= step && of / w < MOST) ?? of;
  const out = [];
  for (let v = 0; v < of; v += wide) out.push(v);
  return [...out, of];
}

// open offers what a question can be given: its points, or the levels of its
// criteria.
function open(view, q, tag, give, criteria) {
  const again = strip?.dataset.stripOf === q.id;
  close();
  if (again) return;
  strip = el(
    'div',
    { className: 'tag-strip', role: 'group', 'aria-label': `Points for question ${q.number}`, data: { stripOf: q.id } },
    ...(criteria.length
      ? criteria.map((c) => judged(c, () => criteria.every((o) => o.levels.some((l) => l.met())) && give(q.id, null)))
      : values(+q.of, +view.step).map((v) =>
          el('button', { on: { click: () => give(q.id, String(v)) }, 'aria-label': `${v} of ${q.of}` }, String(v)),
        )),
  );
  strip.classList.toggle('judged', criteria.length > 0);
  strip.addEventListener('pointerdown', ours);
  strip.style.top = tag.style.top;
  tag.before(strip);
  if (criteria.length) goTo(q.page, q.y); // they need room below the question
}

export function close() {
  strip?.remove();
  strip = null;
}

// offer opens what a question can be given, and brings it into view.
export function offer(q) {
  const tag = surface.desk.querySelector(`[data-tag-of="${q.id}"]`);
  if (!tag) return;
  goTo(q.page, q.y);
  tag.click();
}

document.addEventListener('pointerdown', (e) => {
  if (strip && !(/** @type {HTMLElement} */ (e.target).closest('.tag-strip, .tag'))) close();
});
document.addEventListener(
  'keydown',
  (e) => {
    if (e.key !== 'Escape' || !strip) return;
    close();
    e.stopPropagation();
  },
  true,
);
