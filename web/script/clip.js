// clip plays a recording: a button, a waveform of its peaks, the time.

import { el, icon } from './paint.js';

const clockOf = (ms) => `${Math.floor(ms / 60000)}:${String(Math.floor(ms / 1000) % 60).padStart(2, '0')}`;
let playing = null;

export function clip(url, peaks, ms) {
  const audio = new Audio();
  audio.preload = 'none';
  audio.src = url;
  const canvas = el('canvas', { width: 300, height: 68 }),
    time = el('time', {}, clockOf(ms));
  const go = el(
    'button',
    { className: 'go', 'aria-label': `Play, ${clockOf(ms)}`, on: { click: toggle } },
    icon('play'),
  );
  const box = el('div', { className: 'clip', data: { clip: url } }, go, canvas, time);
  function toggle() {
    if (!audio.paused) {
      audio.pause();
      return;
    }
    playing?.pause();
    playing = audio;
    audio.play().catch(() => {
      time.textContent = 'Cannot be played';
    });
  }
  const show = () => {
    go.replaceChildren(icon(audio.paused ? 'play' : 'pause'));
    go.setAttribute('aria-label', audio.paused ? `Play, ${clockOf(ms)}` : 'Pause');
    const at = audio.currentTime * 1000;
    time.textContent = clockOf(audio.paused && !at ? ms : at);
    wave(canvas, peaks, Math.min(1, at / ms));
  };
  for (const e of ['play', 'pause', 'timeupdate']) audio.addEventListener(e, show);
  audio.addEventListener('ended', () => {
    audio.currentTime = 0;
    show();
  });
  canvas.addEventListener('click', (e) => {
    const r = canvas.getBoundingClientRect();
    audio.currentTime = ((e.clientX - r.left) / r.width) * (ms / 1000);
    if (audio.paused) toggle();
  });
  requestAnimationFrame(show);
  return box;
}

export function wave(canvas, peaks, share, live) {
  const c = canvas.getContext('2d'),
    n = 40,
    w = canvas.width / n,
    style = getComputedStyle(canvas);
  c.clearRect(0, 0, canvas.width, canvas.height);
  for (let i = 0; i < n; i++) {
    let v = 0;
    for (let k = Math.floor((i * peaks.length) / n); k < ((i + 1) * peaks.length) / n; k++) v = Math.max(v, peaks[k]);
    const h = Math.max(4, (v / 100) ** 0.6 * (canvas.height - 6));
    c.fillStyle = live
      ? style.getPropertyValue('--color-rule')
      : i / n < share
        ? style.getPropertyValue('--color-ink')
        : '#8fa6bd';
    c.beginPath();
    c.roundRect(i * w + w * 0.2, (canvas.height - h) / 2, w * 0.55, h, 2);
    c.fill();
  }
}
export { clockOf };
