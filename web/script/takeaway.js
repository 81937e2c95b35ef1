// takeaway asks what a copy is needed for, and brings it as a file. The link leads to
// the file as it is printed where there is no script.
import { finish } from './type.js';
import * as queue from './queue.js';
import { ask } from './net.js';
import { dialog } from './dialogs.js';
import { toast } from './toast.js';

export function begin() {
  const link = document.querySelector('[data-do="take-away"]'),
    d = dialog('take-away');
  if (!link || !d) return;
  const form = d.querySelector('[data-take-away]'),
    wrong = form.querySelector('[data-wrong]'),
    making = form.querySelector('[data-making]'),
    press = form.querySelector('[type="submit"]');
  let anyway = false; // what no font has may be left out
  const fresh = () => {
    anyway = false;
    wrong.hidden = true;
    press.textContent = 'Take it away';
    form.querySelector('[data-notes-too]').hidden = form.elements.as.value !== 'printed';
  };
  link.addEventListener('click', (e) => {
    e.preventDefault();
    fresh();
    d.showModal();
  });
  form.addEventListener('input', fresh);
  form.querySelector('[data-close]').addEventListener('click', () => d.close());
  form.addEventListener('submit', async (e) => {
    e.preventDefault();
    if (press.disabled) return;
    const url = new URL(link.href);
    for (const [name, value] of new FormData(form)) if (value) url.searchParams.set(name, String(value));
    if (anyway) url.searchParams.set('anyway', '1');
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

// save gives a file to the browser's downloads.
function save({ blob, name }) {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 60_000);
  toast(`${name} is among your downloads.`);
}
