// marking has the teacher's side: points and remark in the margin's head, the
// roll, going from copy to copy without leaving the screen, returning.

import { el } from './paint.js';
import { ask, post } from './net.js';
import { dialog } from './dialogs.js';
import { toast } from './toast.js';
import { find, marks } from './marks.js';
import { activate, arrange, showWhole } from './margin.js';
import { formal } from './prosaic.js';
import { extra } from './keys.js';
import * as queue from './queue.js';
import { fit, goTo, surface } from './surface.js';
import * as drafts from './drafts.js';
import * as tags from './tags.js';
import * as judging from './judging.js';
import './ready.js';
import * as since from './since.js';

const top = document.querySelector('[data-top]'),
  roll = document.querySelector('[data-roll]'),
  main = document.querySelector('[data-do="main"]'),
  onwards = document.querySelector('[data-do="next"]');
const ahead = new Map(); // copies loaded before they are asked for
export const marking = { open: /** @type {(view: any) => Promise<void>} */ (async () => {}) };

let timer = 0,
  unsaved = null; // {copy, attempt, points, reason, remark} as they were typed

export function draw(v) {
  let typed = drafts.of(`copy/${v.copy}`, `given/${v.attempt}`); // and not taken
  if (typed?.was && JSON.stringify(typed.was) !== JSON.stringify(stands(v))) {
    drafts.drop(`copy/${v.copy}`, `given/${v.attempt}`); // something newer stands there
    typed = null;
  }
  if (typed) {
    unsaved = { ...typed, copy: v.copy, attempt: v.attempt };
    clearTimeout(timer);
    timer = setTimeout(() => give().catch(() => {}), 700);
  }
  if (v.head) window.htmx.swap(top, v.head, { swapStyle: 'innerHTML' });
  showWhole();
  if (typed) for (const id of GIVEN) field(id).value = typed[id] ?? '';
  const remark = top.querySelector('#remark');
  if (remark && !remark.dressed && !top.querySelector('.formal')) {
    remark.rich = typed ? !!typed.rich : !!v.remarkRich;
    remark.after(formal(remark, arrange));
  }
  for (const box of boxes()) {
    const there = drafts.of(`copy/${v.copy}`, scoreOf(v.attempt, box.dataset.question));
    if (there === null) continue; // nothing was typed there
    if (there.was !== box.dataset.was) {
      drafts.drop(`copy/${v.copy}`, scoreOf(v.attempt, box.dataset.question)); // newer points stand there
      continue;
    }
    if (there.levels) judging.choose(box, there.levels);
    if (there.begun) continue; // some criteria are still open
    box.value = there.points;
    scoreLater(box, there.levels);
  }
  tags.draw(v, { box: boxOf, give: (q, points) => press(q, points, true), criteria: judging.criteria });
  showHeld();
  since.draw();
  main.textContent = v.returnedAt ? 'Return again' : 'Return';
  main.hidden = !!v.pending || !!v.watch;
  const away = document.querySelector('[data-do="take-away"]');
  away.hidden = !!v.watch; // what is not submitted is the student's
  away.href = `/copies/${v.copy}/print?attempt=${v.attempt}`;
  document.querySelector('[data-about]').textContent = ` · ${v.student}`;
  for (const a of roll.querySelectorAll('a')) a.setAttribute('aria-current', String(a.dataset.copy === String(v.copy)));
  questions();
  roll.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest' });
  bar();
  lookAhead();
  leadOn();
  countDown();
}

// bar says, where the roll has no room of its own, whose copy it is and how many
// there are.
const between = document.querySelector('.copy-bar');
function bar() {
  const all = copies(),
    i = all.indexOf(marks.view.copy);
  between.querySelector('[data-bar-name]').textContent = marks.view.student;
  between.querySelector('[data-bar-at]').textContent = i < 0 ? 'at work' : `${i + 1} of ${all.length}`;
  between.querySelector('[data-go="-1"]').disabled = i <= 0;
  between.querySelector('[data-go="1"]').disabled = i === all.length - 1;
}
function showRoll(on) {
  document.querySelector('[data-screen]').classList.toggle('roll-open', on);
  between.querySelector('[data-do="roll"]').setAttribute('aria-expanded', String(on));
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
  document
    .querySelector('[data-screen]')
    .classList.toggle('with-held', !!document.querySelector('.held:not([hidden])'));
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

// stands gives the points in all, why these, and the remark as the server has
// them.
const stands = (v) => [v.given ?? '', v.reason ?? '', v.remark ?? '', ...(v.remarkRich ? ['rich'] : [])],
  GIVEN = ['points', 'reason', 'remark'];

const field = (id) => top.querySelector(`#${id}`) ?? {};

// boxes are those for the points of each question, in their order.
const boxes = () => [...top.querySelectorAll('[data-question]')],
  boxOf = (q) => boxes().find((b) => b.dataset.question === q) ?? { value: '' },
  scoreOf = (attempt, q) => `score/${attempt}/${q}`;
const scores = new Map(); // typed and not taken yet, by copy, attempt and question

// scoreLater takes the points of a question soon, or the levels that give them;
// as a draft they are kept at once.
function scoreLater(box, levels = null) {
  const { copy, attempt } = marks.view,
    { question: q, was } = box.dataset;
  scores.set(`${copy} ${attempt} ${q}`, {
    copy,
    attempt,
    question: q,
    points: box.value,
    was,
    ...(levels && { levels: JSON.stringify(levels) }),
  });
  drafts.keep(`copy/${copy}`, scoreOf(attempt, q), { points: box.value, was, levels });
  clearTimeout(timer);
  timer = setTimeout(() => give().catch(() => {}), 700);
}

// judge takes the levels that are chosen for a question once every criterion has
// one; until then they are kept as a draft.
function judge(box) {
  const { levels, points } = judging.chosen(box),
    { copy, attempt } = marks.view,
    { question: q, was } = box.dataset;
  if (points === null) drafts.keep(`copy/${copy}`, scoreOf(attempt, q), { points: was, was, levels, begun: true });
  else {
    box.value = points;
    scoreLater(box, levels);
  }
  tags.tell(marks.view, boxOf);
  return points !== null;
}

// press gives a question points, or goes on from its levels, to the next one.
function press(q, points, onPage = false) {
  const box = boxOf(q);
  if (points === null) judge(box);
  else {
    box.value = points;
    judging.choose(box, null);
    scoreLater(box);
  }
  tags.close();
  onward(box, onPage);
}

// takeScores keeps the points of questions with the attempt that they were typed
// for, and shows what it has in all.
async function takeScores(keepalive) {
  let wrong = null;
  for (const [key, s] of [...scores]) {
    scores.delete(key);
    const box = () =>
      marks.view.copy === s.copy && marks.view.attempt === s.attempt
        ? boxes().find((b) => b.dataset.question === s.question)
        : null;
    try {
      const a = await ask(`/copies/${s.copy}/scores`, { method: 'POST', form: s, keepalive });
      ahead.delete(s.copy);
      if (!scores.has(key)) drafts.drop(`copy/${s.copy}`, scoreOf(s.attempt, s.question));
      const here = box();
      if (here) {
        here.dataset.was = s.points.trim();
        here.removeAttribute('aria-invalid');
        added(a);
      }
      queue.savedSince(new Date(a.at));
    } catch (e) {
      const here = box();
      if (here) {
        here.setAttribute('aria-invalid', 'true');
        if (e.code === 'scored') {
          const now = await fetchView(s.copy, s.attempt).catch(() => null);
          here.dataset.was = now?.questions?.find((q) => q.id === s.question)?.given ?? '';
        } else if (!scores.has(key)) scores.set(key, s); // nothing newer was typed meanwhile
      } // elsewhere it waits as a draft, and keeps nothing else back
      wrong ??= e;
    }
  }
  if (wrong) throw wrong;
}

// added shows the points in all, and whether they are what the questions add up to.
function added({ points, whole }) {
  marks.view.given = points || null;
  tags.tell(marks.view, boxOf);
  const total = top.querySelector('#points'),
    says = top.querySelector('[data-tally]');
  if (total && !unsaved) total.value = points; // what is being typed stays
  if (!says) return;
  const missing = boxes().filter((b) => !b.value.trim()).length;
  if (whole) says.textContent = 'given as a whole';
  else if (missing) says.textContent = `${missing} ${missing === 1 ? 'question' : 'questions'} without points`;
  else says.textContent = `added up${marks.view.scaled ? `, scaled to ${marks.view.pointsOf}` : ''}`;
  top.querySelector('.because').hidden = !whole;
  if (!whole && !unsaved) field('reason').value = '';
  leadOn();
}

// onward goes from a question's points to the next one's, and after the last to
// the next copy's first: in the margin, or on the page where they were pressed.
async function onward(box, onPage) {
  const all = boxes(),
    next = all[all.indexOf(box) + 1];
  tags.tell(marks.view, boxOf);
  if (next) {
    if (onPage) tags.offer(marks.view.questions.find((q) => q.id === next.dataset.question));
    else {
      next.focus();
      next.select();
    }
    give().catch(() => {});
    return;
  }
  try {
    await give();
  } catch {
    return;
  }
  const copy = nextToMark();
  if (!copy) {
    onwards.focus(); // to the next pile
    return;
  }
  if (!(await go(+copy.dataset.copy))) return;
  const first = marks.view.questions?.find((q) => !boxOf(q.id).value);
  if (onPage && first) tags.offer(first);
  else toFirst();
}

// toFirst goes to the first question that has no points yet.
function toFirst() {
  const all = boxes(),
    box = all.find((b) => !b.value) ?? all[0] ?? top.querySelector('#points');
  box?.focus();
  box?.select?.();
}

// later takes what is typed in the head soon; as a draft it is kept at once.
function later(e) {
  const judged = e.target.closest('[data-judging]');
  if (judged) {
    judge(boxOf(judged.dataset.judging));
    return;
  }
  if (e.target.dataset.question) {
    judging.choose(e.target, null);
    scoreLater(e.target);
    tags.tell(marks.view, boxOf);
    return;
  }
  const { copy, attempt } = marks.view;
  const typed = {
    ...Object.fromEntries(GIVEN.map((id) => [id, field(id).value ?? ''])),
    ...(field('remark').rich ? { rich: 'yes' } : {}),
  };
  unsaved = { copy, attempt, ...typed };
  drafts.keep(`copy/${copy}`, `given/${attempt}`, { ...typed, was: stands(marks.view) });
  clearTimeout(timer);
  timer = setTimeout(() => give().catch(() => {}), 700);
}

// give keeps points and remark with the attempt that they were typed for,
// whichever copy is open by now.
async function give({ keepalive = false } = {}) {
  clearTimeout(timer);
  if (scores.size)
    try {
      await takeScores(keepalive);
      if (!unsaved) refreshRoll();
    } catch (e) {
      queue.say(`Not saved: ${e.message}`);
      toast(e.message);
      throw e;
    }
  if (!unsaved) return;
  const { copy, attempt, points, reason = '', remark, rich = '' } = unsaved,
    sent = unsaved;
  unsaved = null;
  const box = () => (marks.view.copy === copy && marks.view.attempt === attempt ? top.querySelector('#points') : null);
  try {
    const a = await ask(`/copies/${copy}/points`, {
      method: 'POST',
      form: { attempt, points, reason, remark, rich },
      keepalive,
    });
    if (!unsaved) drafts.drop(`copy/${copy}`, `given/${attempt}`);
    ahead.delete(copy);
    box()?.removeAttribute('aria-invalid');
    if (box()) added(a);
    if (marks.view.copy === copy && marks.view.attempt === attempt)
      Object.assign(marks.view, { remark: remark.trim(), remarkRich: !!rich, reason: a.whole ? reason.trim() : '' });
    queue.savedSince(new Date(a.at));
    refreshRoll();
  } catch (e) {
    if (box()) unsaved ??= sent; // elsewhere it waits as a draft
    box()?.setAttribute('aria-invalid', 'true');
    queue.say(`Not saved: ${e.message}`);
    toast(e.message);
    throw e;
  }
}

// put fetches what the server draws into a place. Of two at once each is there when
// its own call goes on: what is asked for through htmx waits for the first, and its
// call goes on without it.
async function put(place, path) {
  window.htmx.swap(place, await ask(path, { as: 'page' }), { swapStyle: 'innerHTML' });
}

// refreshRoll fetches the roll anew. Its order stays as it is under the hand.
async function refreshRoll() {
  const stood = order();
  await put(roll, `/assignments/${marks.view.assignment}/roll`);
  for (const name of stood) rows().find((row) => named(row) === name && roll.append(row));
  for (const a of roll.querySelectorAll('a'))
    a.setAttribute('aria-current', String(a.dataset.copy === String(marks.view.copy)));
  sift();
  leadOn();
  countDown();
}
const rows = () => [...roll.querySelectorAll('a, .away')],
  named = (row) => row.querySelector('.who').firstChild.textContent,
  order = () => rows().map(named);

// sift shows the copies that are asked for, and always the one in hand.
const sieve = document.querySelector('[data-sieve]');
function sift() {
  const [kind, question] = sieve.value.split(' ');
  for (const row of rows()) {
    const here = row.getAttribute('aria-current') === 'true',
      fits =
        { mark: 'toMark' in row.dataset, asked: 'asked' in row.dataset }[kind] ??
        (kind === 'score' ? row.dataset.scored?.split(' ').includes(question) === false : true);
    row.hidden = !here && !fits;
  }
  bar();
}

// questions offers those that points are given for.
function questions() {
  const was = sieve.value;
  for (const o of sieve.querySelectorAll('[value^="score "]')) o.remove();
  for (const q of marks.view.questions ?? [])
    sieve.append(el('option', { value: `score ${q.id}` }, `Without points for ${q.number.replace(/\.$/, '')}`));
  sieve.value = was;
  if (sieve.value !== was) sieve.value = 'all';
}

// nextToMark is the next copy on the roll that lies on the pile and has nothing yet.
function nextToMark() {
  const all = [...roll.querySelectorAll('a:not([data-watch])')].filter((row) => !row.hidden),
    at = all.findIndex((row) => row.dataset.copy === String(marks.view.copy));
  return [...all.slice(at + 1), ...all.slice(0, at)].find(
    (row) => 'toMark' in row.dataset && !('marked' in row.dataset),
  );
}

// leadOn gives the sun to what comes next: returning, or, once this copy has its
// points or is on its way, the next copy; after the last one, the next pile.
let pile = null; // which comes after this one, once asked for
function leadOn() {
  const v = marks.view,
    done = !!v.pending || (!!v.returnedAt && !v.unsent) || (boxes().length > 0 && boxes().every((b) => b.value.trim())),
    next = nextToMark();
  onwards.hidden = !next && !(done && pile);
  onwards.textContent = next ? 'Next copy' : pile?.assignment ? `Next: ${pile.title}` : 'To the pile';
  onwards.classList.toggle('next', done);
  main.classList.toggle('next', !done || onwards.hidden);
  if (done && !next && !pile)
    ask(`/pile/next?after=${v.assignment}`)
      .then((found) => {
        pile = found;
        leadOn();
      })
      .catch(() => {}); // without a line there is no other pile to go to
}
async function goOn() {
  const next = nextToMark();
  if (next) {
    if (await go(+next.dataset.copy)) toFirst();
    return;
  }
  await give().catch(() => {});
  location.href = pile?.assignment ? `/assignments/${pile.assignment}/marking` : '/';
}

// countDown counts what is about to go back, on the roll and in the head, and
// shows what has become of it.
let ticking = 0;
const looked = new Set(); // the times that have come
function countDown() {
  clearTimeout(ticking);
  let again = false;
  for (const e of document.querySelectorAll('[data-pending]')) {
    const left = Math.ceil(+e.dataset.pending + 0.5 - Date.now() / 1000);
    if (left > 90) continue; // it says when
    e.textContent = left > 0 ? `Goes back in ${left} s` : 'Goes back now';
    if (left >= 0) again = true;
    else if (!looked.has(e.dataset.pending)) {
      looked.add(e.dataset.pending);
      settled();
    }
  }
  if (again) ticking = setTimeout(countDown, 500);
}
async function settled() {
  ahead.clear();
  await refreshRoll().catch(() => {});
  if (marks.view.pending) await anew().catch(() => {});
}

// afresh shows the roll and the copy in hand after what was done to copies.
async function afresh() {
  ahead.clear();
  await refreshRoll();
  await anew();
}

// anew shows the copy that is open as it stands now, where one is.
async function anew() {
  const { copy, attempt } = marks.view,
    v = await fetchView(copy, attempt, !!marks.view.watch);
  if (marks.view.copy !== copy || marks.view.attempt !== attempt) return;
  const place = surface.desk.scrollTop;
  await marking.open(v);
  surface.desk.scrollTop = place;
}

const copies = () =>
  [...roll.querySelectorAll('a:not([data-watch])')].filter((a) => !a.hidden).map((a) => +a.dataset.copy);
const watches = (id) => !!roll.querySelector(`a[data-watch][data-copy="${id}"]`);
const fetchView = (id, attempt, watch = watches(id)) =>
  ask(
    marks.view?.asked && id === marks.view.copy && watch
      ? `/copies/${id}/asked`
      : watch
        ? `/copies/${id}/watch`
        : `/copies/${id}/marking${attempt ? `?attempt=${attempt}` : ''}`,
  );

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

export async function go(id, attempt, watch = watches(id)) {
  await give().catch(() => {}); // what was not taken stands there again when one comes back
  const view =
    (!attempt && !watch && (await ahead.get(id))) ||
    (await fetchView(id, attempt, watch).catch((e) => {
      toast(e.message);
      return null;
    }));
  ahead.delete(id);
  if (!view) return false;
  const place = { top: surface.desk.scrollTop, left: surface.desk.scrollLeft };
  await marking.open(view);
  surface.desk.scrollTo(place.left, place.top);
  history.replaceState(
    null,
    '',
    `/assignments/${view.assignment}/marking?copy=${view.copy}${attempt ? `&attempt=${attempt}` : ''}`,
  );
  return true;
}

// landed shows what was looked at as it was done, once it has been submitted.
export async function landed() {
  toast(`${marks.view.student} has moved on with this copy.`);
  await refreshRoll().catch(() => {});
  await go(marks.view.copy, 0, false);
}

function step(d) {
  const all = copies(),
    next = all[all.indexOf(marks.view.copy) + d];
  if (next) return go(next);
  toast(d > 0 ? 'This is the last copy on the roll.' : 'This is the first copy on the roll.');
}

// look shows what may have been forgotten before copies are returned, one or
// several, and plans their return. A press leads to what is missing.
async function look(only) {
  const d = dialog('returning'),
    form = d.querySelector('[data-returning]'),
    v = marks.view;
  await put(form, `/assignments/${v.assignment}/returning${only ? `?copy=${only}` : ''}`);
  const yes = form.querySelector('[data-yes]'),
    wrong = form.querySelector('[data-wrong]'),
    chosen = () => [...form.querySelectorAll('[name="copy"]:checked')].map((box) => box.value);
  const say = () => {
    if (!yes) return;
    const n = chosen().length;
    yes.disabled = !n;
    yes.textContent = only ? 'Return it' : n ? `Return ${n} ${n === 1 ? 'copy' : 'copies'}` : 'Choose copies';
  };
  form.onchange = say;
  form.oninput = (e) => {
    if (e.target.name === 'at') form.querySelector('[value="at"]').checked = true;
  };
  form.onclick = async (e) => {
    const to = e.target.closest('[data-to-copy]');
    if (to) {
      d.close();
      await go(+to.dataset.toCopy);
      const note = to.dataset.toNote && find(to.dataset.toNote)?.mark;
      if (note) {
        goTo(note.page, note.at[1]);
        activate(note.id);
      } else (boxes().find((b) => b.dataset.question === to.dataset.toScore) ?? field('points')).focus?.();
    }
    if (!yes || !e.target.closest('[data-yes]')) return;
    const at =
      form.querySelector('[name="when"]:checked').value === 'at' ? form.querySelector('[name="at"]').value : '';
    try {
      if (!at && form.querySelector('[value="at"]').checked) throw new Error('Say when they are to be returned.');
      await planned(only, chosen(), at);
      d.close();
    } catch (err) {
      wrong.hidden = false;
      wrong.textContent = err.message;
    }
  };
  say();
  d.showModal();
}

// planned lets copies go back, and shows them counting down.
async function planned(only, all, at) {
  const v = marks.view;
  if (only) await ask(`/copies/${only}/return`, { method: 'POST', form: { attempt: v.attempt, anyway: 'yes', at } });
  else {
    const form = new URLSearchParams(all.map((copy) => ['copy', copy]));
    form.append('at', at);
    await ask(`/assignments/${v.assignment}/return`, { method: 'POST', body: form });
  }
  await afresh();
}

// giveBack lets the copy in hand go back, after a look when something may have
// been forgotten.
async function giveBack() {
  await give();
  await queue.drained();
  try {
    await ask(`/copies/${marks.view.copy}/return`, { method: 'POST', form: { attempt: marks.view.attempt } });
  } catch (e) {
    if (e.code !== 'look first') throw e;
    return look(marks.view.copy);
  }
  await afresh();
}

// stop keeps the copy in hand from going back.
async function stop() {
  const form = new URLSearchParams({ copy: String(marks.view.copy) });
  const { stopped } = await ask(`/assignments/${marks.view.assignment}/stop`, { method: 'POST', body: form });
  if (!stopped) toast('It had gone back already.');
  await afresh();
}

// takeBack withdraws what the student has not opened yet.
async function takeBack() {
  await post(`/copies/${marks.view.copy}/withdraw`, { attempt: marks.view.attempt });
  await afresh();
}

// reopen has the student go on with the copy, until a later time if one is given.
async function reopen(form) {
  await post(`/copies/${marks.view.copy}/reopen`, { due: form.querySelector('input').value });
  await afresh();
}

export function begin() {
  // Who looks at work that was submitted a moment ago looks no more: the copy is
  // shown anew, and nothing is wrong.
  top.addEventListener('htmx:beforeSwap', (e) => {
    if (e.detail.xhr.status === 403 && e.target.matches('[data-others]'))
      Object.assign(e.detail, { isError: false, shouldSwap: false });
  });
  top.addEventListener('input', later);
  top.addEventListener('focusin', (e) => {
    if (e.target.dataset.question) judging.open(e.target);
  });
  top.addEventListener('keydown', (e) => {
    const proposed = e.target.closest('li')?.querySelector('[data-proposal]');
    if (e.key === '=' && proposed) {
      e.preventDefault();
      press(e.target.dataset.question, proposed.dataset.proposal);
      return;
    }
    if (e.key === ' ' && e.target.dataset.question) {
      e.preventDefault();
      press(e.target.dataset.question, marks.view.questions.find((q) => q.id === e.target.dataset.question).of, false);
      return;
    }
    const judged = e.target.closest('[data-judging]');
    if (e.key === 'Enter' && (e.target.dataset.question || (judged && e.target.type === 'radio'))) {
      e.preventDefault();
      onward(judged ? boxOf(judged.dataset.judging) : e.target);
      return;
    }
    if (e.key !== 'Enter' || e.target.id !== 'points') return;
    e.target.blur();
    give().catch(() => {});
  });
  top.addEventListener('click', (e) => {
    const to = e.target.closest('[data-attempt]');
    if (to) go(marks.view.copy, +to.dataset.attempt, false);
    if (e.target.closest('[data-watch-copy]')) go(marks.view.copy, 0, true);
    const proposed = e.target.closest('[data-proposal]');
    if (proposed)
      press(proposed.closest('li').querySelector('[data-question]').dataset.question, proposed.dataset.proposal);
    if (e.target.closest('[data-answers]')) beside();
    const at = e.target.closest('.to-question');
    if (at) goTo(+at.dataset.toPage, +at.dataset.toY);
  });
  for (const b of between.querySelectorAll('[data-go]')) b.addEventListener('click', () => step(+b.dataset.go));
  between.querySelector('[data-do="roll"]').addEventListener('click', (e) => {
    showRoll(e.currentTarget.getAttribute('aria-expanded') !== 'true');
    roll.querySelector('[aria-current="true"]')?.focus();
  });
  document.addEventListener('pointerdown', (e) => {
    const on = /** @type {HTMLElement} */ (e.target);
    if (!on.closest('.roll, [data-do="roll"]')) showRoll(false);
  });
  extra['['] = () => step(-1);
  extra[']'] = () => step(1);
  extra.p = toFirst;
  roll.addEventListener('click', (e) => {
    const a = e.target.closest('a');
    if (!a || e.ctrlKey || e.metaKey) return;
    e.preventDefault();
    showRoll(false);
    go(+a.dataset.copy);
  });
  roll.addEventListener('keydown', (e) => {
    const d = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (!d) return;
    e.preventDefault();
    step(d);
    setTimeout(() => roll.querySelector('[aria-current="true"]')?.focus(), 60);
  });
  const told = (doing) => doing.catch((e) => toast(e.message));
  main.addEventListener('click', () => told(giveBack()));
  onwards.addEventListener('click', () => told(goOn()));
  top.addEventListener('click', (e) => {
    if (e.target.closest('[data-stop]')) told(stop());
    if (e.target.closest('[data-withdraw]')) told(takeBack());
  });
  top.addEventListener('submit', (e) => {
    e.preventDefault();
    told(reopen(e.target));
  });
  sieve.addEventListener('change', sift);
  document.querySelector('[data-return-all]').addEventListener('click', () => {
    showRoll(false);
    told(returnAll());
  });
  window.addEventListener('pagehide', () => give({ keepalive: true }).catch(() => {}));
}

// returnAll looks over all copies that wait, to return several.
async function returnAll() {
  await give();
  await queue.drained();
  await look();
}
