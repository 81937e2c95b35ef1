// saved shows where the work is, in the head of the screen. That it is saved is told to
// those who do not see it only when it had not been.

import { tell } from './told.js';

const box = document.querySelector('[data-saved]'),
  line = box.querySelector('[data-saved-words]');
let told = 'saved';

export function showSaved(state, words) {
  box.dataset.state = state;
  box.querySelector('.icon').style.visibility = state === 'saved' ? '' : 'hidden';
  if (line.textContent !== words) line.textContent = words;
  if (state === 'saving' || state === told) return;
  told = state;
  tell(words);
}
