// listen plays on the start page what was said aloud about a copy, one remark after the
// other, with its words where somebody has typed them.

import { el, icon } from './paint.js';
import { ask } from './net.js';
import { clockOf } from './clip.js';
import { follow } from './heard.js';

let close = null; // what closes the one that is open

document.addEventListener('click', (e) => {
  const press = /** @type {HTMLElement} */ (e.target).closest('[data-listen]');
  if (press) listen(/** @type {HTMLElement} */ (press));
});

async function listen(press) {
  const copy = +press.dataset.listen,
    row = press.closest('.heap');
  close?.();
  let attempt, all;
  try {
    ({ attempt, all } = await ask(`/copies/${copy}/aloud`));
  } catch (e) {
    row.after(el('p', { className: 'wrong listening', role: 'alert' }, e.message));
    return;
  }
  let at = 0,
    audio = /** @type {HTMLAudioElement | null} */ (null);
  const where = el('span', { role: 'status' }),
    words = el('p', { className: 'words' }),
    time = el('time'),
    go = el('button', { className: 'go', on: { click: toggle } }),
    before = el('button', { className: 'button', on: { click: () => open(at - 1) } }, 'Back'),
    next = el('button', { className: 'button', on: { click: () => open(at + 1) } }, 'Next');
  const box = el(
    'section',
    {
      className: 'listening',
      'aria-label': 'What was said',
      on: { keydown: (e) => e.key === 'Escape' && close?.() },
    },
    go,
    el('div', { className: 'grow' }, where, words),
    time,
    before,
    next,
    el('a', { className: 'button', href: `/copies/${copy}` }, 'On the page'),
    el('button', { className: 'button quiet', 'aria-label': 'Close', on: { click: () => close?.() } }, icon('cross')),
  );
  function toggle() {
    if (audio.paused)
      audio.play().catch(() => {
        words.textContent = 'It cannot be played here. Open the copy and try there.';
      });
    else audio.pause();
  }
  const show = () => {
    go.replaceChildren(icon(audio.paused ? 'play' : 'pause'));
    go.setAttribute('aria-label', audio.paused ? 'Play' : 'Pause');
    time.textContent = `${clockOf(audio.currentTime * 1000)} of ${clockOf(all[at].voice.ms)}`;
  };
  function open(n) {
    audio?.pause();
    at = n;
    const one = all[at];
    where.textContent = `${at + 1} of ${all.length} · ${one.by} · ${one.page ? `page ${one.page}` : 'on the whole copy'}`;
    words.textContent = one.text || (one.voice.trail ? 'It points and draws, too: see it on the page.' : '');
    before.disabled = at === 0;
    next.disabled = at === all.length - 1;
    audio = new Audio(`/copies/${copy}/sounds/${one.voice.sound}`);
    follow(audio, { copy, attempt, remark: one.mark });
    for (const e of ['play', 'pause', 'timeupdate']) audio.addEventListener(e, show);
    audio.addEventListener('ended', () => {
      if (at < all.length - 1) open(at + 1);
    });
    show();
    toggle();
  }
  close = () => {
    audio?.pause();
    box.remove();
    close = null;
    press.focus();
  };
  row.after(box);
  go.focus();
  open(0);
}
