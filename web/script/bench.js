// bench is where a worksheet is prepared: its pages at the side, in their
// order, and in the margin what becomes of the one in hand. Every change is
// kept at once and can be undone.

import { el, icon } from './paint.js';
import { ask, post } from './net.js';
import { question, toast } from './dialogs.js';
import { showSaved } from './saved.js';

const view = JSON.parse(document.querySelector('#view').textContent);
const rail = document.querySelector('[data-leaves]'), desk = document.querySelector('[data-desk]'), margin = document.querySelector('[data-margin]');
let chosen = 0, past = [], future = [], sending = Promise.resolve();

const url = (l, scale) => `/worksheets/${view.id}/sources/${l.source}/pages/${l.page}/${scale}`;
const use = { sheet: 'For students', held: 'Held back', dropped: 'Left out' };
const undecided = (l) => l.proposal && !l.decided;
const said = (l) => ({
  heading: `Page ${l.page} looks like answers: it says “${l.proposal.heading}”.`,
  filled: `Page ${l.page} looks like answers: it repeats page ${l.proposal.of} with its blanks filled.`,
  written: `Page ${l.page} looks like answers: it is page ${l.proposal.of} with more written on it.`,
}[l.proposal.kind]);

// numbers gives each page that students get its number.
function numbers() {
  let n = 0;
  return view.leaves.map((l) => (l.use === 'sheet' ? ++n : 0));
}

// picture shows a page as it is turned, as wide as the box around it.
function picture(l, scale) {
  const across = l.turn % 180 !== 0, ratio = l.w / l.h;
  const box = el('div', { className: 'leaf-picture' }), img = el('img', { src: url(l, scale), alt: '', draggable: false, loading: 'lazy' });
  box.style.aspectRatio = String(across ? 1 / ratio : ratio);
  img.style.width = across ? `${ratio * 100}%` : '100%';
  img.style.transform = `translate(-50%, -50%) rotate(${l.turn}deg)`;
  box.append(img);
  return box;
}

function draw() {
  const n = numbers();
  rail.replaceChildren(el('ol', {}, ...view.leaves.map((l, i) => {
    const b = el('button', { className: 'leaf', data: { use: l.use, at: i }, draggable: true, 'aria-current': String(i === chosen), 'aria-label': `${label(l, n[i])}, place ${i + 1} of ${view.leaves.length}`,
      on: { click: () => choose(i, true), keydown: keys, dragstart: (e) => { e.dataTransfer.setData('text/plain', String(i)); e.dataTransfer.effectAllowed = 'move'; } } },
    picture(l, 25), el('span', { className: 'leaf-name' }, l.use === 'sheet' ? String(n[i]) : use[l.use]));
    if (undecided(l)) b.append(el('span', { className: 'leaf-sign', title: 'Likely answers' }, '?'));
    return el('li', { data: { at: i }, on: { dragover: (e) => { e.preventDefault(); e.currentTarget.classList.add('under'); }, dragleave: (e) => e.currentTarget.classList.remove('under'), drop } }, b);
  })));
  desk.replaceChildren(...view.leaves.map((l, i) => {
    const s = el('section', { className: 'leaf-large', data: { use: l.use, at: i }, 'aria-label': label(l, n[i]) }, picture(l, 150));
    if (l.use !== 'sheet') s.append(el('p', { className: 'leaf-says' }, icon(l.use === 'held' ? 'held' : 'out'), l.use === 'held' ? 'Held back: no student gets this page' : 'Left out: nobody gets this page'));
    s.addEventListener('click', () => choose(i, false));
    return s;
  }));
  write();
}

const label = (l, n) => (l.use === 'sheet' ? `Page ${n} for students` : `${use[l.use]}, page ${l.page} of ${view.sources[l.source]}`);

function choose(i, scroll) {
  chosen = Math.min(Math.max(i, 0), view.leaves.length - 1);
  for (const b of rail.querySelectorAll('.leaf')) b.setAttribute('aria-current', String(+b.dataset.at === chosen));
  for (const s of desk.children) s.classList.toggle('chosen', +s.dataset.at === chosen);
  if (scroll) desk.children[chosen]?.scrollIntoView({ block: 'start', behavior: 'smooth' });
  write();
}

const button = (sign, words, run, kind = '') => el('button', { className: `button ${kind}`, on: { click: run } }, sign ? icon(sign) : null, words);

// write fills the margin: first what is proposed, then the page in hand.
function write() {
  const l = view.leaves[chosen], asked = view.leaves.filter(undecided), n = numbers();
  const parts = asked.map((a) => {
    const i = view.leaves.indexOf(a);
    return el('article', { className: 'proposal' }, el('p', {}, said(a)), el('p', { className: 'hint' }, 'Students must not get answers with the questions.'),
      el('div', { className: 'row' }, button('held', 'Hold it back', () => change(i, { use: 'held', decided: true }), 'next'), button('', 'Hand it out', () => change(i, { use: 'sheet', decided: true })), button('', 'Show it', () => choose(i, true), 'quiet')));
  });
  if (l) {
    const turn = (d) => change(chosen, { turn: (l.turn + d + 360) % 360 });
    parts.push(el('section', { className: 'in-hand' }, el('h2', {}, label(l, n[chosen])),
      l.proposal && l.decided ? el('p', { className: 'hint' }, `You decided: ${l.use === 'held' ? 'held back' : l.use === 'sheet' ? 'handed out' : 'left out'}.`) : null,
      el('div', { className: 'pair-of' }, button('turn-left', 'Turn left', () => turn(-90)), button('turn-right', 'Turn right', () => turn(90)),
        button('up', 'Earlier', () => move(chosen, chosen - 1)), button('later', 'Later', () => move(chosen, chosen + 1)),
        l.use === 'held' ? button('hand', 'Hand it out', () => change(chosen, { use: 'sheet', decided: true })) : button('held', 'Hold it back', () => change(chosen, { use: 'held', decided: true })),
        l.use === 'dropped' ? button('plus', 'Take it in', () => change(chosen, { use: 'sheet', decided: true })) : button('out', 'Leave it out', () => change(chosen, { use: 'dropped', decided: true })))));
  }
  const count = (u) => view.leaves.filter((x) => x.use === u).length, pages = (k) => `${k} ${k === 1 ? 'page' : 'pages'}`;
  parts.push(el('p', { className: 'hint' }, `${pages(count('sheet'))} for students${count('held') ? `, ${pages(count('held'))} held back` : ''}${count('dropped') ? `, ${pages(count('dropped'))} left out` : ''}.`));
  parts.push(more(), ...uses());
  margin.replaceChildren(...parts.filter(Boolean));
  document.querySelector('[data-assign]').classList.toggle('next', !asked.length); // what is proposed comes first
}

// more takes the pages of another file in, behind the page in hand.
function more() {
  const file = el('input', { type: 'file', accept: 'application/pdf,.pdf,image/png,image/jpeg,image/webp', className: 'sr-only', id: 'more', on: { change: async () => {
    const data = new FormData();
    data.append('at', String(chosen + 1));
    data.append('file', file.files[0]);
    showSaved('saving', 'Reading its pages…');
    try {
      await sending;
      take(await ask(`/worksheets/${view.id}/pages`, { method: 'POST', body: data }));
      past = []; future = [];
      showSaved('saved', 'Saved');
      draw(); steps();
    } catch (e) { showSaved('saved', 'Saved'); toast(e.message); }
  } } });
  return el('div', {}, el('label', { className: 'button', htmlFor: 'more' }, icon('plus'), 'Add pages of another file'), file);
}

// uses says where the worksheet is assigned, and what a change means there.
function uses() {
  if (!view.uses?.length) return [];
  const begun = view.uses.reduce((s, u) => s + u.Begun, 0);
  const list = el('section', { className: 'uses' }, el('h2', {}, 'Assigned'), ...view.uses.map((u) => el('p', {}, el('a', { className: 'link', href: `/assignments/${u.AssignmentID}/marking` }, u.Title), el('span', { className: 'hint' }, ` ${u.Course}, ${u.Begun} begun`))));
  if (!view.changed) return [list];
  list.append(el('p', { className: 'hint' }, `You have changed it since. ${begun === 1 ? '1 copy is begun and stays as it is.' : `${begun} copies are begun and stay as they are.`}`),
    button('', 'Give the others the new one', async () => {
      const asked = view.leaves.some(undecided);
      if (asked && !await question('Some pages look like answers', 'You have not decided on them. Give the worksheet out all the same?', 'Give it out')) return;
      try {
        await sending;
        const answer = await post(`/worksheets/${view.id}/reissue`, asked ? { anyway: '1' } : {});
        toast(answer.begun ? `Done. ${answer.begun} ${answer.begun === 1 ? 'copy that is begun stays' : 'copies that are begun stay'} on the earlier one.` : 'Done. Everybody has the new one.');
        view.changed = false;
        write();
      } catch (e) { toast(e.message); }
    }));
  return [list];
}

const bare = () => view.leaves.map((l) => ({ ...l }));
function take(fresh) { Object.assign(view, fresh); chosen = Math.min(chosen, view.leaves.length - 1); }

// send keeps the plan; changes go one after another, each on the version before.
function send() {
  showSaved('saving', 'Saving…');
  view.changed = true;
  const leaves = bare();
  sending = sending.then(async () => {
    try {
      const answer = await ask(`/worksheets/${view.id}/plan`, { method: 'POST', json: { version: view.version, leaves } });
      view.version = answer.version;
      showSaved('saved', 'Saved');
    } catch (e) {
      showSaved('failed', `Not saved: ${e.message}`);
      if (e.status === 409) take(await ask(`/worksheets/${view.id}`));
      draw();
    }
  });
}

function remember() { past.push(bare()); future = []; }
function change(i, what) { remember(); Object.assign(view.leaves[i], what); chosen = i; done(); }
function move(from, to) {
  if (to < 0 || to >= view.leaves.length || from === to) return;
  remember();
  view.leaves.splice(to, 0, ...view.leaves.splice(from, 1));
  chosen = to;
  done();
}
function done() { draw(); choose(chosen, false); steps(); send(); }

function step(from, to) {
  if (!from.length) return;
  to.push(bare());
  view.leaves = from.pop();
  done();
}
function steps() {
  document.querySelector('[data-step="undo"]').disabled = !past.length;
  document.querySelector('[data-step="redo"]').disabled = !future.length;
}
const undo = () => step(past, future), redo = () => step(future, past);
document.querySelector('[data-step="undo"]').addEventListener('click', undo);
document.querySelector('[data-step="redo"]').addEventListener('click', redo);

// keys: arrows choose, with Alt they move the page; Delete leaves it out.
function keys(e) {
  const i = +e.currentTarget.dataset.at, d = { ArrowUp: -1, ArrowDown: 1 }[e.key];
  if (d) {
    e.preventDefault();
    if (e.altKey) move(i, i + d); else choose(i + d, true);
    rail.querySelectorAll('.leaf')[chosen].focus();
  } else if (e.key === 'Delete') { e.preventDefault(); change(i, { use: view.leaves[i].use === 'dropped' ? 'sheet' : 'dropped', decided: true }); rail.querySelectorAll('.leaf')[i].focus(); }
}
document.addEventListener('keydown', (e) => {
  if (!(e.ctrlKey || e.metaKey) || e.target.closest('input')) return;
  const run = { z: e.shiftKey ? redo : undo, y: redo }[e.key.toLowerCase()];
  if (run) { e.preventDefault(); run(); }
});

function drop(e) {
  e.preventDefault();
  e.currentTarget.classList.remove('under');
  const from = +e.dataTransfer.getData('text/plain'), to = +e.currentTarget.dataset.at;
  if (Number.isInteger(from)) move(from, to);
}

const title = document.querySelector('[data-title]');
title.addEventListener('change', async () => {
  showSaved('saving', 'Saving…');
  try { await post(`/worksheets/${view.id}/title`, { title: title.value }); view.title = title.value; showSaved('saved', 'Saved'); } catch (e) { showSaved('failed', `Not saved: ${e.message}`); title.value = view.title; }
});

showSaved('saved', 'Saved');
draw();
chosen = Math.max(0, view.leaves.findIndex(undecided));
choose(chosen, chosen > 0);
document.querySelector('[data-screen]').dataset.ready = 'yes';
