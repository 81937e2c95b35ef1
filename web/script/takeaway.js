// takeaway asks what a copy is needed for, and brings it as a file. The link leads to
// the file as it is printed where there is no script.
import { finish } from './type.js';
import * as queue from './queue.js';
import { ask } from './net.js';
import { dialog, question } from './dialogs.js';
import { el } from './paint.js';
import { onPrint } from './keys.js';
import { marks } from './marks.js';
import { lay } from './student.js';
import { toast } from './toast.js';

export function begin() {
  const link = document.querySelector('[data-do="take-away"]'),
    d = dialog('take-away');
  if (!link || !d) return;
  const form = d.querySelector('[data-take-away]'),
    wrong = form.querySelector('[data-wrong]'),
    making = form.querySelector('[data-making]'),
    press = form.querySelector('[type="submit"]'),
    everybody = form.querySelector('[data-class]');
  let anyway = false; // what no font has may be left out
  const fresh = () => {
    anyway = false;
    wrong.hidden = true;
    press.textContent = 'Take it away';
    form.querySelector('[data-marked-too]').hidden = !marks.view.teacher || !marks.view.attempt;
    form.querySelector('[data-class-too]').hidden = !marks.view.teacher || form.elements.as.value === 'sheet';
    form.querySelector('[data-print-it]').hidden = !PAGES.includes(form.elements.as.value);
    form.querySelector('[data-whole-class]').href = `/assignments/${marks.view.assignment}/files`;
    form.querySelector('[data-notes-too]').hidden = form.elements.as.value !== 'printed';
  };
  link.addEventListener('click', (e) => {
    e.preventDefault();
    fresh();
    d.showModal();
  });
  form.addEventListener('input', fresh);
  form.querySelector('[data-marked]').addEventListener('click', () => {
    d.close();
    bringMarked();
  });
  form.querySelector('[data-close]').addEventListener('click', () => d.close());
  // chosen is where the file is of what was chosen.
  const chosen = () => {
    const url = new URL(link.href);
    for (const [name, value] of new FormData(form)) if (value) url.searchParams.set(name, String(value));
    if (anyway) url.searchParams.set('anyway', '1');
    return url;
  };
  // Opened beside, the browser shows it and prints it.
  form.querySelector('[data-print-it]').addEventListener('click', async () => {
    const beside = window.open('', '_blank'),
      url = chosen();
    url.searchParams.set('open', '1');
    finish();
    await queue.drained();
    (beside ?? window).location.href = url.href;
    d.close();
  });
  onPrint(() => {
    if (link.hidden) return false;
    fresh();
    d.showModal();
    return true;
  });
  form.addEventListener('submit', async (e) => {
    e.preventDefault();
    if (press.disabled) return;
    if (everybody.checked && !everybody.closest('[data-class-too]').hidden) {
      // As it is made: what comes takes no room on the page meanwhile.
      location.href = `/assignments/${marks.view.assignment}/copies?as=${form.elements.as.value}`;
      d.close();
      toast('The ZIP is being made, and comes as a download meanwhile.');
      return;
    }
    const url = chosen();
    press.disabled = true;
    making.hidden = false;
    wrong.hidden = true;
    try {
      finish();
      await queue.drained();
      save(await ask(url.pathname + url.search, { as: 'file' }));
      d.close();
    } catch (err) {
      anyway = err.code === 'letters';
      if (anyway) press.textContent = 'Take it away all the same';
      wrong.textContent = err.message;
      wrong.hidden = false;
    } finally {
      press.disabled = false;
      making.hidden = true;
    }
  });
}

// PAGES are the forms that are pages to print.
const PAGES = ['printed', 'margin', 'sheet'];

// bringMarked takes over what a teacher marked in another program.
function bringMarked() {
  const input = el('input', { type: 'file', accept: 'application/pdf,.xfdf,application/vnd.adobe.xfdf' });
  input.addEventListener('change', async () => {
    const { copy, attempt } = marks.view;
    const send = (answers) => {
      const body = new FormData();
      body.append('file', input.files[0]);
      body.append('attempt', String(attempt));
      for (const [name, value] of Object.entries(answers)) body.append(name, value);
      toast('Comparing the file with the copy…');
      return ask(`/copies/${copy}/marked`, { method: 'POST', body });
    };
    try {
      await queue.drained();
      const done = await send({}).catch(async (e) => {
        const why = DOUBTS[e.code];
        if (!why) throw e;
        return (await question(why[0], `${e.message} ${why[1]}`, why[2])) ? send({ anyway: 'yes' }) : null;
      });
      if (!done || marks.view.copy !== copy) return;
      await lay(done, `/copies/${copy}/marking?attempt=${attempt}`, marks.view.edit);
    } catch (e) {
      toast(e.message);
    }
  });
  input.click();
}

// DOUBTS are what is asked before a file is taken over that may be the wrong one.
const DOUBTS = {
  'another copy': ['Another copy’s file?', 'It was taken away from another copy of the sheet.', 'Take it over here'],
  'another attempt': [
    'Another attempt’s file?',
    'What was marked there may stand beside what is there now.',
    'Take it over here',
  ],
};

// save gives a file to the browser's downloads.
function save({ blob, name }) {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 60_000);
  toast(`${name} is among your downloads.`);
}
