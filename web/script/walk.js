// walk goes through what a teacher said on a copy, one remark after the other: the page
// follows, what is spoken is played, and then comes the next one.

import { el, icon } from './paint.js';
import { activate, followed, said } from './margin.js';
import { goTo } from './surface.js';
import { ofVoice, play, soundAt, stop } from './talk.js';

const REST = 900; // milliseconds between one that was heard and the next

let bar = null;

// offer shows the button that begins it, where something was said.
export function offer() {
  const b = document.querySelector('[data-do="walk"]');
  if (b) b.hidden = !said().length;
}
document.addEventListener('said', offer);

export function walk() {
  const all = said();
  if (!all.length) return;
  const back = /** @type {HTMLElement} */ (document.activeElement);
  let at = -1,
    audio = /** @type {HTMLAudioElement | null} */ (null),
    timer = 0;
  const where = el('span', { role: 'status' }),
    to = (words, d) => el('button', { className: 'button', on: { click: () => go(at + d) } }, words),
    before = to('Back', -1),
    next = to('Next', 1);
  const quiet = () => {
    clearTimeout(timer);
    audio?.pause();
    audio = null;
    stop();
  };
  function close() {
    quiet();
    bar?.remove();
    bar = null;
    back?.focus?.({ preventScroll: true });
  }
  // heard goes on by itself after what is spoken; what is typed is read as long as it takes.
  const heard = () => {
    timer = setTimeout(() => go(at + 1), REST);
  };
  function go(n) {
    quiet();
    if (n >= all.length) {
      close();
      return;
    }
    at = Math.max(0, n);
    const t = all[at],
      { voice } = t.remarks[0];
    where.textContent = `Remark ${at + 1} of ${all.length}`;
    before.disabled = at === 0;
    next.textContent = at === all.length - 1 ? 'Done' : 'Next';
    document.querySelector('[data-screen]').classList.add('notes-open');
    if (t.page) {
      goTo(t.page, t.place[1]);
      activate(t.remarks[0].id);
    }
    if (voice?.trail)
      play(
        ofVoice(t.remarks[0], t.number ? `note ${t.number}` : 'the whole copy', {
          then: heard,
          follows: followed(t.remarks[0]),
        }),
      );
    else if (voice) {
      audio = new Audio(soundAt(t.remarks[0]));
      followed(t.remarks[0])?.(audio);
      audio.addEventListener('ended', heard);
      audio.play().catch(() => {}); // its card has a player too
    }
  }
  bar?.remove();
  bar = el(
    'section',
    {
      className: 'talk walk',
      'aria-label': 'One remark after the other',
      on: { keydown: (e) => e.key === 'Escape' && close() },
    },
    where,
    before,
    next,
    el('button', { className: 'round', 'aria-label': 'Close', on: { click: close } }, icon('cross')),
  );
  document.querySelector('[data-desk]').after(bar);
  next.focus({ preventScroll: true });
  go(0);
}
