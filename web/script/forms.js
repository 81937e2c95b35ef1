// forms keeps what is being typed into a page's forms as drafts, and puts it
// back when one comes again. A form says what it is about: data-drafts, as
// "worksheet/12 assign".

import * as drafts from './drafts.js';

const person = +(document.querySelector('[data-leaving]')?.dataset.leaving ?? 0);

// texts are the fields that are typed into; what is chosen is not a draft.
const texts = (form) =>
  [...form.elements].filter(
    (f) =>
      f.name &&
      (f.nodeName === 'TEXTAREA' ||
        (f.nodeName === 'INPUT' && ['text', 'datetime-local', 'date', 'time', 'search', 'number'].includes(f.type))),
  );

async function remember(form) {
  const [thing, name] = form.dataset.drafts.split(' '),
    place = (f) => `${name}/${f.name}`;
  const fields = texts(form),
    was = new Map(fields.map((f) => [f, f.value]));
  const again = form.querySelector('[data-typed]'); // shown anew with what is wrong: it has what was typed
  const listen = () =>
    form.addEventListener('input', (e) => {
      if (was.has(e.target))
        drafts.keep(thing, place(e.target), e.target.value === was.get(e.target) ? null : e.target.value);
    });
  form.addEventListener('submit', () => {
    for (const f of fields) drafts.drop(thing, place(f));
    drafts.send(true);
  });
  const sent = await fetch(`/drafts/${thing}`, { headers: { Accept: 'application/json' } })
    .then((r) => (r.ok ? r.json() : []))
    .catch(() => []);
  await drafts.begin(person, thing, sent);
  let back = 0;
  if (!again) {
    for (const f of fields) {
      const typed = drafts.of(thing, place(f));
      if (typed === null || typed === f.value || f.value !== was.get(f)) continue;
      f.value = typed;
      f.dispatchEvent(new Event('refilled'));
      f.closest('details')?.setAttribute('open', '');
      back++;
    }
  }
  listen();
  if (!back) return;
  const line = document.createElement('p'),
    drop = document.createElement('button');
  line.className = 'said mb-5';
  line.setAttribute('role', 'status');
  line.append('What you had typed here before is back. ', drop);
  Object.assign(drop, {
    type: 'button',
    className: 'underline',
    textContent: 'Drop it',
    onclick: () => {
      for (const f of fields) {
        f.value = was.get(f);
        f.dispatchEvent(new Event('refilled'));
        drafts.drop(thing, place(f));
      }
      line.remove();
    },
  });
  form.prepend(line);
}

if (person) for (const form of document.querySelectorAll('form[data-drafts]')) remember(form);
