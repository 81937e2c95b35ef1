// student has the student's side of the sheet screen: submit, take back,
// improve. The margin's head is written by the server.

import { offer, walk } from './walk.js';
import { el } from './paint.js';
import { seen as seenPage } from './seen.js';
import { ask, post } from './net.js';
import { dialog, question } from './dialogs.js';
import { toast } from './toast.js';
import { find, marks } from './marks.js';
import { did } from './history.js';
import * as queue from './queue.js';
import { finish } from './type.js';
import { instruments, take } from './pointer.js';
import { goTo, sheetOf, surface } from './surface.js';
import { blankOf, empty, tasks } from './blanks.js';
import { now, seen } from './pagenav.js';
import * as drafts from './drafts.js';
import * as tags from './tags.js';
import { about, showWhole } from './margin.js';
import { dated } from './dated.js';
import { done, handed } from './handed.js';
import { bring, letLook, setKey } from './ownkey.js';

const top = document.querySelector('[data-top]'),
  main = document.querySelector('[data-do="main"]'),
  back = document.querySelector('[data-do="take-back"]'),
  away = document.querySelector('[data-do="take-away"]');

// may says what the server lets the student do with this copy now.
const may = (action) => !!marks.view.may?.includes(action);

const date = (t) => dated(t, marks.view.zone);
const count = (n, what) => `${n} ${what}${n === 1 ? '' : 's'}`;
const span = (minutes) =>
  minutes < 60
    ? count(minutes, 'minute')
    : minutes < 2880
      ? `${count(Math.floor(minutes / 60), 'hour')}${minutes % 60 && minutes < 360 ? ` ${minutes % 60} min` : ''}`
      : count(Math.floor(minutes / 1440), 'day');

// left tells anew how long it is to the due time, on a page that has been open,
// or kept on the device, for a while.
function left() {
  for (const t of top.querySelectorAll('[data-left]')) {
    const minutes = Math.ceil(t.dataset.left / 60 - Date.now() / 60000);
    t.textContent = minutes >= 0 ? `in ${span(minutes)}` : `${span(-minutes)} ago`;
  }
}
setInterval(left, 60000);

// head puts in the head that came with a view; what is unfolded stays so.
function head(html) {
  const open = top.querySelector('details.rich')?.open;
  top.innerHTML = html;
  showWhole();
  const details = top.querySelector('details.rich');
  if (details && open !== undefined) details.open = open;
  offer();
}

// watched says who looks at the work just now.
const looking = document.querySelector('[data-looking]');
export function watched(names) {
  if (!looking) return;
  looking.hidden = !names.length;
  looking.textContent = names.length ? `${names.join(' and ')} ${names.length === 1 ? 'is' : 'are'} looking` : '';
}

// moved says that the copy is worked on now.
export async function moved(state) {
  marks.view.state = state;
  if (state === 'in progress')
    for (const said of top.querySelectorAll('[data-state]')) said.textContent = 'In progress';
  else head((await ask(`/copies/${marks.view.copy}/view`)).head);
}

export function draw(v) {
  if (v.head) head(v.head);
  tags.draw(v);
  left();
  back.hidden = !may('take back');
  away.href = `/copies/${v.copy}/print${v.past ? `?attempt=${v.attempt}` : ''}`;
  away.hidden = !may('take away'); // one may begin on paper
  main.textContent = may('improve') ? 'Improve it' : 'Submit';
  main.hidden = !may('submit') && !may('improve');
  document.querySelector('[data-about]').textContent =
    v.attempts || v.state === 'reworking' ? ` · attempt ${v.attempt}` : '';
}

export function begin() {
  top.addEventListener('click', (e) => {
    const todo = e.target.closest('[data-do]')?.dataset.do;
    if (todo === 'elsewhere') bringElsewhere();
    else if (todo === 'bring') bring();
    else if (todo === 'walk') walk();
    else if (todo === 'own-key') setKey();
    else if (todo === 'show' || todo === 'hide') letLook(todo === 'show');
  });
  main.addEventListener('click', async () => {
    if (may('submit')) {
      submit();
      return;
    }
    try {
      await post(`/copies/${marks.view.copy}/improve`);
      location.reload();
    } catch (e) {
      toast(e.message);
    }
  });
  back.addEventListener('click', async () => {
    if (
      !(await question(
        'Take this copy back?',
        'It is no longer submitted then. Do not forget to submit it again.',
        'Take it back',
      ))
    )
      return;
    try {
      await post(`/copies/${marks.view.copy}/take-back`);
      location.reload();
    } catch (e) {
      toast(e.message);
      location.reload();
    }
  });
}

// bringElsewhere takes over what was done on this sheet with another program: a file
// that is chosen, or that another program has handed over.
async function bringElsewhere(handed = null) {
  const input = el('input', { type: 'file', accept: 'application/pdf,image/*' });
  const bring = async (file) => {
    const send = async (answers) => {
      const body = new FormData();
      body.append('file', file);
      for (const [name, value] of Object.entries(answers)) body.append(name, value);
      toast('Comparing the file with the sheet…');
      try {
        return await ask(`/copies/${marks.view.copy}/elsewhere`, { method: 'POST', body });
      } catch (e) {
        const n = now()?.added ? 1 : (now()?.number ?? 1);
        if (e.code === 'another copy') {
          const yes = await question(
            'Another copy’s file?',
            'This file was taken away from another copy of the sheet, perhaps somebody else’s. What was done on it would become a part of yours.',
            'Take it over',
          );
          return yes ? send({ ...answers, anyway: 'yes' }) : null;
        }
        if (e.code === 'other pages') {
          const yes = await question(
            'Pages that are not of this sheet',
            e.message,
            'Leave them out, take over the rest',
          );
          return yes ? send({ ...answers, some: 'yes' }) : null;
        }
        if (e.code !== 'which page') throw e;
        const yes = await question(
          'Which page is it?',
          `It cannot be told which page the picture shows. Lay it on page ${n}, where you are? If it is another one, go there first and bring the picture in again.`,
          `Lay it on page ${n}`,
        );
        return yes ? send({ ...answers, page: n }) : null;
      }
    };
    try {
      await queue.drained();
      const done = await send({});
      if (!done) return;
      await lay(done, `/copies/${marks.view.copy}/view`, 'work');
    } catch (e) {
      toast(e.message);
    }
  };
  if (handed) {
    await bring(handed);
    return;
  }
  input.addEventListener('change', () => input.files[0] && bring(input.files[0]));
  input.click();
}

// lay shows what was taken over of a file, as one step that Undo takes back, and tells
// of it.
export async function lay(done, view, layer) {
  const old = new Map(done.marks.map((on) => [on, find(on)?.mark ?? null]));
  await queue.events.onOlder(await ask(view));
  const steps = done.marks
    .map((on) => ({ on, layer, before: old.get(on), after: find(on)?.mark }))
    .filter((s) => s.after);
  if (steps.length) did(steps);
  toast(broughtSays(done));
}

// broughtSays tells what became of a file that was done elsewhere.
function broughtSays({ pages, lacks = [], places, taken, strange = [] }) {
  if (!places && !taken) return 'Nothing in the file differs from what is on the copy, so nothing was taken over.';
  const got = [taken && count(taken, 'mark'), places && count(places, 'picture')].filter(Boolean).join(' and ');
  const kept = strange.length ? ` Kept as pictures, since we have no such mark: ${strange.join(', ')}.` : '';
  const less = lacks.length
    ? ` Not in the file: ${lacks.length > 1 ? 'pages' : 'page'} ${lacks.join(', ')} of the sheet.`
    : '';
  return `${pages} ${pages === 1 ? 'page was' : 'pages were'} matched, and ${got} taken over.${less}${kept} Look it over.`;
}

// takeHanded takes over what another program has handed over for this sheet.
export async function takeHanded() {
  if (location.hash !== '#handed') return;
  history.replaceState(null, '', location.pathname);
  const files = may('bring back') ? await handed() : [];
  if (!files.length) return;
  await done();
  for (const f of files) await bringElsewhere(f);
}

// look shows every page as the teacher will see it.
function look(box) {
  box.replaceChildren(
    ...surface.sheets.map((s) =>
      seenPage(
        s,
        Math.min(box.clientWidth - 40 || 480, 560),
        [...marks.shown.values()].filter((e) => e.mark.page === s.number && e.layer === 'work'),
      ),
    ),
  );
}

const SHOWN = 8; // of what is still to be done; the rest is counted

// still says what is not done yet, and leads there. It can be submitted all the same.
function still(box, close) {
  const lines = [],
    to = (words, run) =>
      el(
        'li',
        {},
        el(
          'button',
          {
            type: 'button',
            className: 'line',
            on: {
              click: () => {
                close();
                run();
              },
            },
          },
          words,
        ),
      );
  const list = (head, ones) => {
    if (ones.length)
      lines.push(
        el('h3', {}, head),
        el(
          'ul',
          {},
          ...ones.slice(0, SHOWN),
          ...(ones.length > SHOWN ? [el('li', { className: 'hint' }, `and ${ones.length - SHOWN} more`)] : []),
        ),
      );
  };
  const blanks = empty();
  list(
    blanks.length === 1 ? 'One blank is still empty' : `${blanks.length} blanks are still empty`,
    blanks.map((e) =>
      to([e.question, e.label || `on page ${e.page}`].filter(Boolean).join(' '), () => {
        goTo(e.page, e.y);
        const b = blankOf(e.page, e.place);
        if (b && instruments.type.into) {
          take('type');
          instruments.type.into(b, sheetOf(e.page));
        }
      }),
    ),
  );
  list(
    'Nothing is marked here yet',
    tasks()
      .filter((t) => !t.touched && !t.written)
      .map((t) => to([t.number, t.words].filter(Boolean).join(' ') || `Page ${t.page}`, () => goTo(t.page, t.y))),
  );
  const used = new Set([...marks.shown.values()].map((e) => e.mark.body.meaning)),
    unused = (marks.view.key ?? []).filter((m) => !used.has(m.name));
  list(
    'Colours not used yet',
    unused.map((m) => el('li', { className: 'line' }, m.name)),
  );
  const unseen = surface.sheets.filter((s) => !seen.has(s.number));
  list(
    'Pages you have not looked at',
    unseen.map((s) => to(`Page ${s.number}`, () => goTo(s.number))),
  );
  box.replaceChildren(...lines);
}

async function submit() {
  finish();
  instruments.note.leave();
  const d = dialog('submit'),
    wrong = d.querySelector('[data-wrong]'),
    yes = d.querySelector('[data-yes]'),
    line = d.querySelector('#line');
  line.value = drafts.of(about(), 'line') ?? '';
  line.oninput = () => drafts.keep(about(), 'line', line.value || null);
  wrong.hidden = true;
  yes.disabled = false;
  const late =
    marks.view.due && new Date(marks.view.due) < new Date()
      ? Math.ceil((Date.now() - Date.parse(marks.view.due)) / 60000)
      : 0;
  d.querySelector('[data-late]').textContent = late
    ? `It was due ${date(marks.view.due)}; it will be marked as late by ${span(late)}.`
    : '';
  still(d.querySelector('[data-still]'), () => d.close());
  d.showModal();
  look(d.querySelector('[data-look]'));
  const before = marks.view.state;
  yes.onclick = async () => {
    yes.disabled = true;
    wrong.hidden = true;
    try {
      await queue.drained();
      marks.view.state = 'submitted'; // so that the news of it does not load the page anew
      const receipt = await post(`/copies/${marks.view.copy}/submit`, { line: line.value, seq: queue.known('work') });
      drafts.drop(about(), 'line');
      d.close();
      show(receipt);
    } catch (e) {
      marks.view.state = before;
      if (e.code === 'more work') {
        await queue.events.onOlder(await ask(`/copies/${marks.view.copy}/view`));
        look(d.querySelector('[data-look]'));
      }
      wrong.textContent = e.message;
      wrong.hidden = false;
      yes.disabled = false;
    }
  };
}

function show(receipt) {
  const d = dialog('receipt');
  d.querySelector('[data-receipt]').textContent =
    `“${marks.view.title}” was submitted ${date(receipt.at)}, attempt ${receipt.attempt}.`;
  d.querySelector('[data-receipt-late]').textContent = receipt.late ? `Late by ${span(receipt.late)}.` : 'In time.';
  if (!marks.view.due) d.querySelector('[data-receipt-late]').textContent = '';
  d.querySelector('[data-fingerprint]').textContent = receipt.fingerprint;
  d.addEventListener('close', () => location.reload(), { once: true });
  d.showModal();
}
