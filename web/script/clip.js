// clip plays a recording: a button, a waveform of its peaks, the time, how fast.

import { el, icon } from './paint.js';

export const clockOf = (ms) => `${Math.floor(ms / 60000)}:${String(Math.floor(ms / 1000) % 60).padStart(2, '0')}`;
const SPEEDS = [1, 1.25, 1.5, 2, 0.75];
let playing = null, // one at a time
  rate = 1; // of all

// speed is how fast everything is played, until it is said otherwise.
export const speed = {
  now: () => rate,
  next() {
    rate = SPEEDS[(SPEEDS.indexOf(rate) + 1) % SPEEDS.length];
  },
};

/**
 * clip gives a player. Part is what of it is to be heard, in milliseconds, where that
 * is not all; it may change. Start is what plays it where more than sound is played.
 * @param {string} url
 * @param {number[]} peaks
 * @param {number} ms
 * @param {number[]} [part]
 * @param {() => void} [start]
 */
export function clip(url, peaks, ms, part = [0, ms], start) {
  const audio = new Audio(); // which is handed out, to be followed
  audio.preload = 'none';
  audio.src = url;
  const canvas = el('canvas', { width: 300, height: 68 }),
    time = el('time', {}, clockOf(ms));
  const go = el(
    'button',
    { className: 'go', 'aria-label': `Play, ${clockOf(ms)}`, on: { click: toggle } },
    icon('play'),
  );
  const fast = el('button', {
    className: 'fast',
    hidden: true,
    'aria-label': 'How fast it is played',
    on: { click: faster },
  });
  const box = el('div', { className: 'clip', data: { clip: url } }, go, canvas, time, fast);
  function toggle() {
    if (start) {
      start();
      return;
    }
    if (!audio.paused) {
      audio.pause();
      return;
    }
    playing?.pause();
    playing = audio;
    const at = audio.currentTime * 1000;
    if (at < part[0] || at >= part[1]) audio.currentTime = part[0] / 1000;
    audio.playbackRate = rate;
    audio.play().catch(() => {
      time.textContent = 'Cannot be played';
    });
  }
  function faster() {
    speed.next();
    audio.playbackRate = rate;
    show();
  }
  const show = () => {
    if (!audio.paused && audio.currentTime * 1000 >= part[1] && part[1] < ms) {
      audio.pause();
      audio.currentTime = part[0] / 1000;
    }
    const at = audio.currentTime * 1000;
    go.replaceChildren(icon(audio.paused ? 'play' : 'pause'));
    go.setAttribute('aria-label', audio.paused ? `Play, ${clockOf(part[1] - part[0])}` : 'Pause');
    fast.hidden = audio.paused && !at;
    fast.textContent = `${rate}×`;
    fast.setAttribute('aria-label', `${rate}×, how fast it is played`);
    time.textContent = clockOf(audio.paused && at <= part[0] ? part[1] - part[0] : at);
    wave(canvas, peaks, Math.min(1, at / ms), false, [part[0] / ms, part[1] / ms]);
  };
  for (const e of ['play', 'pause', 'timeupdate', 'ratechange']) audio.addEventListener(e, show);
  audio.addEventListener('ended', () => {
    audio.currentTime = part[0] / 1000;
    show();
  });
  canvas.addEventListener('click', (e) => {
    const r = canvas.getBoundingClientRect();
    audio.currentTime = ((e.clientX - r.left) / r.width) * (ms / 1000);
    if (audio.paused) toggle();
  });
  requestAnimationFrame(show);
  return { box, show, audio, pause: () => audio.pause() };
}

export function wave(canvas, peaks, share, live, [from, to] = [0, 1]) {
  const c = canvas.getContext('2d'),
    n = 40,
    w = canvas.width / n,
    style = getComputedStyle(canvas);
  c.clearRect(0, 0, canvas.width, canvas.height);
  for (let i = 0; i < n; i++) {
    let v = 0;
    for (let k = Math.floor((i * peaks.length) / n); k < ((i + 1) * peaks.length) / n; k++) v = Math.max(v, peaks[k]);
    const h = Math.max(4, (v / 100) ** 0.6 * (canvas.height - 6));
    c.globalAlpha = (i + 0.5) / n < from || (i + 0.5) / n > to ? 0.25 : 1; // what is cut off
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
