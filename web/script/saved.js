// saved shows where the work is, in the head of the screen.

const box = document.querySelector('[data-saved]'),
  line = box.querySelector('[data-saved-words]');

export function showSaved(state, words) {
  box.dataset.state = state;
  box.querySelector('.icon').style.visibility = state === 'saved' ? '' : 'hidden';
  if (line.textContent !== words) line.textContent = words; // it is read aloud when it changes
}
