// talk plays a talk-through over the pages: the sound, and in step with it the pointer,
// the strokes and what was looked at. One can stop, jump, change how fast it goes, look
// at something else and come back; at its end the pages are as they were.

import { el, icon } from './paint.js';
import { ask } from './net.js';
import { clockOf, speed, wave } from './clip.js';
import { instruments } from './pointer.js';
import { centre, middle, sheetOf, surface } from './surface.js';
import { marks } from './marks.js';
import { bare } from './prosaic.js';
import { painter, strokesOf } from './trail.js';
import { core } from './core.js';
import { keep as keepSettings, settings } from './settings.js';
import { toast } from './toast.js';

let open = null; // what closes the one that is open
export const stop = () => open?.();

// between gives the pointer at a moment: it glides from place to place.
const GLIDE = 250; // milliseconds, longer than which it stood still
export function between(steps, i, t) {
  let from = null;
  for (let k = i - 1; k >= 0 && !from; k--) from = steps[k].p && steps[k];
  if (!from) return null;
  let to = null;
  for (let k = i; k < steps.length && !to && steps[k].t - from.t <= GLIDE; k++) to = steps[k].p && steps[k];
  if (!to || from.p.off || to.p.off || to.p.n !== from.p.n || to.t <= from.t) return from.p;
  const share = Math.min(1, Math.max(0, (t - from.t) / (to.t - from.t)));
  return { ...from.p, x: from.p.x + (to.p.x - from.p.x) * share, y: from.p.y + (to.p.y - from.p.y) * share };
}

// stations are where one may want to jump to: another page, another question, or a
// stroke after a while without one.
const MOST = 6; // that find room beside each other
const APART = 4000; // milliseconds between two of them, at least
function stations(steps, part) {
  const out = [],
    apart = Math.max(APART, (part[1] - part[0]) / MOST);
  let page = 0,
    question = '',
    drew = -APART;
  const add = (t, words) => {
    if (t >= part[0] && t <= part[1] && (!out.length || t - out.at(-1).t >= apart)) out.push({ t, words });
  };
  for (const s of steps) {
    const at = s.p ?? s.v;
    if (at) {
      const here = (marks.view.questions ?? []).filter((q) => q.page === at.n && q.y <= at.y + 4).at(-1)?.number ?? '';
      if (at.n !== page) add(s.t, `page ${at.n}`);
      else if (here !== question && here) add(s.t, `question ${here.replace(/[.)]+$/, '')}`);
      page = at.n;
      question = here;
    }
    if (s.b) {
      if (s.t - drew >= APART) add(s.t, 'a stroke');
      drew = s.t;
    }
  }
  return out;
}

/**
 * play opens the player.
 * @param {{ url: string, trail?: string, steps?: any[], peaks: number[], ms: number, name: string, part?: number[], words?: string, mayKeep?: boolean, then?: () => void, follows?: ((audio: HTMLAudioElement) => void) | null }} of
 */
export async function play(of) {
  open?.();
  const back = /** @type {HTMLElement} */ (document.activeElement);
  let steps = of.steps;
  if (!steps)
    try {
      ({ steps } = await ask(of.trail));
    } catch (e) {
      toast(e.message);
      return;
    }
  const part = of.part ?? [0, of.ms],
    audio = new Audio(of.url),
    paints = painter(),
    mine = middle()?.z ?? 1; // how large this reader has the page
  const first = steps.find((s) => s.v)?.v.z ?? 1;
  let i = 0,
    last = -1,
    follows = true,
    frame = 0,
    closed = false,
    view = null;
  of.follows?.(audio);
  const canvas = el('canvas', { width: 600, height: 60 }),
    go = el('button', { className: 'go', on: { click: toggle } }),
    time = el('time'),
    line = el('input', {
      type: 'range',
      min: part[0],
      max: part[1],
      step: 100,
      value: part[0],
      'aria-label': 'Where in the talk-through',
      on: { input: () => seek(+line.value) },
    }),
    fast = el('button', { className: 'round', on: { click: () => (speed.next(), rate()) } }),
    follow = el('button', { className: 'button', hidden: true, on: { click: again } }, 'Back to it'),
    keep = of.mayKeep ? el('button', { className: 'button', on: { click: kept } }, 'Keep on the page') : null;
  const places = el(
    'div',
    { className: 'stations' },
    ...stations(steps, part).map(({ t, words }) => {
      const b = el(
        'button',
        { 'aria-label': `To ${clockOf(t - part[0])}, ${words}`, on: { click: () => seek(t) } },
        words,
      );
      b.style.left = `${Math.min(84, (100 * (t - part[0])) / (part[1] - part[0]))}%`;
      return b;
    }),
  );
  // Its words come in step with it, once the core is there that knows when they are said.
  const told = el('p', { className: 'told', hidden: !of.words || !settings.captions }, of.words ?? '');
  const cues = of.words ? core.captions(of.words, of.peaks, of.ms) : [];
  const tell = of.words
    ? el(
        'button',
        {
          className: 'round',
          'aria-pressed': String(settings.captions),
          'aria-label': 'Words, shown as they are said',
          on: {
            click: () => {
              settings.captions = !settings.captions;
              keepSettings();
              told.hidden = !settings.captions;
              tell.setAttribute('aria-pressed', String(settings.captions));
            },
          },
        },
        'Words',
      )
    : null;
  const bar = el(
    'section',
    { className: 'talk', 'aria-label': `Talk-through: ${of.name}` },
    told,
    go,
    el('div', { className: 'along' }, canvas, line, places),
    time,
    fast,
    tell,
    follow,
    keep,
    el('button', { className: 'round', 'aria-label': 'Close the talk-through', on: { click: close } }, icon('cross')),
  );
  function toggle() {
    if (audio.paused) {
      if (audio.currentTime * 1000 >= part[1] - 50) seek(part[0]);
      audio.play().catch(() => {
        time.textContent = 'Cannot be played';
      });
    } else audio.pause();
  }
  const rate = () => {
    audio.playbackRate = speed.now();
    fast.textContent = `${speed.now()}×`;
    fast.setAttribute('aria-label', `${speed.now()}×, how fast it is played`);
  };
  function seek(ms) {
    audio.currentTime = ms / 1000;
    show(ms);
  }
  // show brings the pages to how they were at a moment of the sound.
  function show(ms) {
    if (ms < last) {
      paints.clear();
      i = 0;
      view = null;
    }
    last = ms;
    let now = null;
    for (; i < steps.length && steps[i].t <= ms; i++) {
      if (steps[i].v) now = steps[i].v;
      else if (!steps[i].p) paints.step(steps[i]);
    }
    const p = between(steps, i, ms);
    if (p) paints.point(p);
    view = now ?? view;
    if (now && follows) look();
    line.value = String(ms);
    line.setAttribute('aria-valuetext', `${clockOf(ms)} of ${clockOf(part[1])}`);
    time.textContent = `${clockOf(ms - part[0])} of ${clockOf(part[1] - part[0])}`;
    wave(canvas, of.peaks, ms / of.ms, false, [part[0] / of.ms, part[1] / of.ms]);
    if (cues.length) told.textContent = cues.findLast((c) => c.from <= ms)?.text ?? '';
    bar.dataset.at = String(Math.round(ms));
  }
  // look shows as much of the page as was shown, to the size that this reader likes.
  const look = () => view && centre({ ...view, z: (mine * view.z) / first });
  const elsewhere = () => {
    if (audio.paused) return;
    follows = false;
    follow.hidden = false;
  };
  function again() {
    follows = true;
    follow.hidden = true;
    look();
  }
  function kept() {
    for (const s of strokesOf(steps)) {
      const sheet = sheetOf(s.page),
        samples = s.points.flatMap((v, k) => (k % 2 ? [v, 0.5] : [v]));
      if (sheet)
        instruments.pen.keep({
          samples,
          style: { color: s.color, width: s.width, opacity: 1 },
          sheet,
          canvas: el('canvas'),
        });
    }
    keep.disabled = true;
    toast('What was drawn stands on the page now.');
  }
  const tick = () => {
    if (closed) return;
    const ms = Math.max(part[0], audio.currentTime * 1000);
    if (ms >= part[1] - 20) {
      ended();
      return;
    }
    show(ms);
    frame = requestAnimationFrame(tick);
  };
  const state = () => {
    go.replaceChildren(icon(audio.paused ? 'play' : 'pause'));
    go.setAttribute('aria-label', audio.paused ? 'Play' : 'Pause');
    cancelAnimationFrame(frame);
    if (!audio.paused) frame = requestAnimationFrame(tick);
  };
  for (const e of ['play', 'pause', 'ended']) audio.addEventListener(e, state);
  // ended is at the end, which the sound's own news of it may come after, or never where
  // only a part is played.
  function ended() {
    if (last > part[1]) return;
    audio.pause();
    show(part[1]);
    paints.clear(); // what was drawn belongs to it
    i = 0;
    last = part[1] + 1;
    of.then?.();
  }
  audio.addEventListener('ended', ended);
  const keys = (e) => {
    if (e.key === 'Escape') close();
  };
  function close() {
    closed = true;
    open = null;
    audio.pause();
    cancelAnimationFrame(frame);
    paints.clear();
    bar.remove();
    for (const e of ['wheel', 'touchmove']) surface.desk.removeEventListener(e, elsewhere);
    back?.focus?.({ preventScroll: true });
  }
  for (const e of ['wheel', 'touchmove']) surface.desk.addEventListener(e, elsewhere, { passive: true });
  bar.addEventListener('keydown', keys);
  surface.desk.after(bar);
  open = close;
  rate();
  seek(part[0]);
  state();
  go.focus({ preventScroll: true });
  toggle();
}

// soundAt is where the sound of a remark is, on the copy that is open or on its sheet.
export const soundAt = ({ layer, voice }) => at(layer, voice.sound);

// at is where a sound or what was shown with it is.
const at = (layer, hash) =>
  marks.view.writes
    ? `/worksheets/${marks.view.writes}/extras/${hash}`
    : layer === 'sheet'
      ? `/sheets/${marks.view.sheet}/extras/${hash}`
      : `/copies/${marks.view.copy}/sounds/${hash}`;

// ofVoice gives what the player needs of a voice on the copy that is open.
export const ofVoice = ({ voice, layer, text, rich }, name, more = {}) => ({
  words: bare(text ?? '', rich),
  url: at(layer, voice.sound),
  trail: at(layer, voice.trail),
  peaks: voice.peaks,
  ms: voice.ms,
  name,
  ...more,
});
