// classline has what a teacher says to a class: it is played where it stands, and a new
// one is spoken on the course's page.

import { clip } from './clip.js';
import * as pieces from './pieces.js';
import { record, review } from './record.js';

for (const at of document.querySelectorAll('[data-clip]')) {
  const { clip: url, ms, peaks } = /** @type {HTMLElement} */ (at).dataset;
  at.append(clip(url, JSON.parse(peaks || '[]'), +ms).box);
}

const form = /** @type {HTMLFormElement | null} */ (document.querySelector('[data-class-line]'));
if (form) begin(form);

async function begin(form) {
  const box = document.querySelector('[data-recorder]'),
    text = form.querySelector('textarea'),
    press = form.querySelector('[data-speak]'),
    about = form.getAttribute('action'); // what a recording that breaks off is about
  const of = () => ({
    seconds: +form.dataset.seconds,
    person: +form.dataset.person,
    to: `${about}?spoken=yes&text=${encodeURIComponent(text.value)}`,
    name: 'A line to the class',
    about: { thing: about, kind: 'line' },
  });
  const drop = () => {
    box.replaceChildren();
    press.hidden = false;
    press.focus();
  };
  const keep = () => {
    text.value = '';
    location.reload();
  };
  press.hidden = false;
  press.addEventListener('click', () => {
    press.hidden = true;
    record(box, of(), drop, keep);
  });
  const [broken] = await pieces.broken(+form.dataset.person, about);
  if (!broken) return;
  press.hidden = true;
  broken.said = 'Broken off the last time. It is here up to the last second or two.';
  review(box, of(), broken, drop, keep);
}
