// told says to those who do not see the screen what has become of it: once, and no more.

const box = document.createElement('div');
box.className = 'sr-only';
box.setAttribute('role', 'status');
box.dataset.told = '';
document.body.append(box);

let timer = 0;

// tell says something; what is said in the same moment is said together.
export function tell(words) {
  if (!words) return;
  clearTimeout(timer);
  const line = document.createElement('p');
  line.textContent = words;
  box.append(line);
  timer = /** @type {any} */ (setTimeout(() => box.replaceChildren(), 8000)); // long enough to be read
}
