// record is the recorder: of voice notes, answers, remarks and directions. Before it
// starts one sees which microphone hears how loud; while it records it can pause; then
// one listens, cuts the ends off, and keeps it, does it again or drops it.

import { el, icon } from './paint.js';
import { ask } from './net.js';
import { clip, clockOf, wave } from './clip.js';
import { newId } from './ids.js';
import * as pieces from './pieces.js';
import { keep as keepSettings, settings } from './settings.js';

// What is shown meanwhile is noted and played where there are pages of a copy.
const showing = () => Promise.all([import('./trail.js'), import('./talk.js')]);

const TROUBLE = {
  NotAllowedError:
    'The microphone was refused. Allow it for this page in the browser’s address bar, then press the page again. You can type a note instead.',
  NotFoundError: 'No microphone was found. Plug one in, or type a note instead.',
  NotReadableError: 'Another program is using the microphone. Close it there, or type a note instead.',
};

export const KINDS = ['audio/webm;codecs=opus', 'audio/mp4;codecs=opus', 'audio/mp4', 'audio/ogg;codecs=opus'];
const PIECE = 1000; // milliseconds that a piece lasts
export const STEP = 100; // milliseconds from peak to peak of the wave

const button = (words, run, more = '') => el('button', { className: `button ${more}`, on: { click: run } }, words);

/**
 * record shows the recorder in a box. What is kept goes to an address of the server,
 * which answers with the voice; drop and keep(voice) are called at the end.
 * @param {HTMLElement} box
 * @param {{ seconds: number, to: string, person: number, about: { thing: string } & Record<string, any>, name?: string, shows?: boolean }} of
 * @param {() => void} drop
 * @param {(voice: any) => void} keep
 */
export async function record(box, of, drop, keep) {
  const hears = await hearing();
  if (hears.trouble) {
    box.replaceChildren(
      el('p', { role: 'alert' }, hears.trouble),
      el('div', { className: 'tools' }, button('Close', drop)),
    );
    return;
  }
  ready(box, { ...of, hears }, () => (hears.stop(), drop()), keep);
}

// hearing opens the microphone that was used last, or another.
export async function hearing() {
  const audio = new AudioContext(),
    meter = audio.createAnalyser(),
    data = new Float32Array(1024);
  const h = {
    trouble: '',
    audio,
    stream: /** @type {MediaStream | null} */ (null),
    source: /** @type {MediaStreamAudioSourceNode | null} */ (null),
    async take(id) {
      const wanted = id ? { deviceId: { ideal: id } } : true;
      const stream = await navigator.mediaDevices.getUserMedia({ audio: wanted });
      h.free();
      h.stream = stream;
      h.source = audio.createMediaStreamSource(stream);
      h.source.connect(meter);
    },
    // level is how loud it is just now, of a hundred.
    level() {
      meter.getFloatTimeDomainData(data);
      return Math.min(100, Math.round(Math.max(...data.map(Math.abs)) * 100));
    },
    free() {
      h.source?.disconnect();
      for (const t of h.stream?.getTracks() ?? []) t.stop();
    },
    stop() {
      h.free();
      if (audio.state !== 'closed') audio.close();
    },
  };
  try {
    if (!navigator.mediaDevices) throw Object.assign(new Error(), { name: 'Insecure' });
    await h.take(settings.voice?.microphone);
  } catch (e) {
    h.stop();
    h.trouble =
      TROUBLE[e.name] ??
      'This browser gives no microphone here (it needs a secure address). You can type a note instead.';
  }
  return h;
}

// form has a sound with what was shown meanwhile.
function form(r) {
  const f = new FormData();
  f.append('sound', r.blob, 'sound');
  f.append('trail', new Blob([JSON.stringify({ steps: r.steps })]), 'trail');
  return f;
}

const long = (seconds) =>
  seconds >= 60 ? `${Math.round(seconds / 60)} ${seconds < 90 ? 'minute' : 'minutes'}` : `${seconds} seconds`;

// ready shows the microphone and its level, until recording begins.
async function ready(box, of, drop, keep) {
  const { hears } = of,
    canvas = el('canvas', { width: 300, height: 68 }),
    which = el('select', { className: 'field', 'aria-label': 'Microphone', hidden: true }),
    count = el('input', { type: 'checkbox', className: 'size-5', checked: !!settings.voice?.count }),
    show = el('input', { type: 'checkbox', className: 'size-5', checked: !!settings.voice?.show }),
    levels = [];
  const timer = setInterval(() => {
    if (!box.isConnected) {
      clearInterval(timer);
      hears.stop();
      return;
    }
    levels.push(hears.level());
    wave(canvas, levels.slice(-40), 1, true);
  }, STEP);
  const away = (then) => () => {
    clearInterval(timer);
    then();
  };
  const begin = async () => {
    clearInterval(timer);
    if (count.checked) await counted(box);
    const [trail] = of.shows && show.checked ? await showing() : [];
    if (box.isConnected) recording(box, { ...of, trail }, drop, keep);
    else hears.stop();
  };
  const go = el('button', { className: 'go', 'aria-label': 'Record', on: { click: begin } }, icon('voice'));
  const set = (change) => {
    settings.voice = { ...settings.voice, ...change };
    keepSettings();
  };
  which.addEventListener('change', async () => {
    try {
      await hears.take(which.value);
      set({ microphone: which.value });
    } catch {
      which.disabled = true; // the one before goes on
    }
  });
  count.addEventListener('change', () => set({ count: count.checked }));
  show.addEventListener('change', () => set({ show: show.checked }));
  box.replaceChildren(
    el('div', { className: 'by' }, icon('voice'), of.name ?? 'Voice note'),
    el('div', { className: 'clip live' }, go, canvas, el('b', {}, 'Record')),
    which,
    of.shows ? el('label', { className: 'choice' }, show, 'Point and draw while you speak') : '',
    el('label', { className: 'choice' }, count, 'Count to three first'),
    el('p', { className: 'hint' }, `Up to ${long(of.seconds)}. You can pause, listen and cut it before you keep it.`),
    el('div', { className: 'tools' }, button('Drop', away(drop), 'quiet')),
  );
  go.focus({ preventScroll: true });
  const there = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === 'audioinput');
  if (there.length < 2) return;
  which.replaceChildren(...there.map((d, i) => el('option', { value: d.deviceId }, d.label || `Microphone ${i + 1}`)));
  which.value = hears.stream?.getAudioTracks()[0]?.getSettings().deviceId ?? '';
  which.hidden = false;
}

// counted shows three, two, one.
async function counted(box) {
  const n = el('p', { className: 'counting', role: 'status' });
  box.replaceChildren(n);
  for (const left of ['3', '2', '1']) {
    n.textContent = left;
    await new Promise((ok) => {
      setTimeout(ok, 800);
    });
  }
}

// recording records, in pieces that this device keeps at once.
function recording(box, of, drop, keep) {
  const { hears, seconds } = of,
    recorder = new MediaRecorder(hears.stream, {
      mimeType: KINDS.find((k) => MediaRecorder.isTypeSupported(k)),
      audioBitsPerSecond: 32000,
    });
  const id = newId(),
    kept = pieces.begin(of.person, id, { ...of.about, to: of.to }),
    parts = [],
    peaks = [];
  let told = 0, // peaks that are with a piece
    began = 0, // when the microphone began, or went on
    spoken = 0; // seconds before the last pause
  // clock is where in the recording one is. The event that tells of its begin may come
  // late, and an AudioContext's clock stops while there is no time to render; what
  // the microphone gives keeps pace with the wall.
  let noted = 0; // steps that are with a piece
  const clock = () =>
    1000 * (spoken + (recorder.state === 'recording' && began ? (performance.now() - began) / 1000 : 0));
  const shown = of.trail?.note(() => (recorder.state === 'recording' && began ? clock() : null));
  const canvas = el('canvas', { width: 300, height: 68 }),
    time = el('time', {}, '0:00'),
    said = el('span', {}, 'Recording');
  let atOnce = false; // it is kept without being heard again
  const pause = el('button', { className: 'button', on: { click: () => rest() } }, 'Pause');
  const stop = el(
    'button',
    { className: 'go', 'aria-label': 'Stop', on: { click: () => recorder.state !== 'inactive' && recorder.stop() } },
    icon('stop'),
  );
  function rest() {
    if (recorder.state === 'recording') {
      spoken = clock() / 1000;
      recorder.pause();
    } else if (recorder.state === 'paused') {
      recorder.resume();
      began = performance.now();
    }
    pause.textContent = recorder.state === 'paused' ? 'Go on' : 'Pause';
    said.textContent = recorder.state === 'paused' ? 'Paused' : 'Recording';
  }
  box.replaceChildren(
    el('div', { className: 'by', role: 'status' }, icon('voice'), said),
    el('div', { className: 'clip live' }, stop, canvas, time),
    el(
      'div',
      { className: 'tools' },
      button(
        'Keep',
        () => {
          atOnce = true;
          if (recorder.state !== 'inactive') recorder.stop();
        },
        'dark',
      ),
      pause,
    ),
    shown ? el('p', { className: 'hint' }, 'Move over the page to point, press to draw. It vanishes at the end.') : '',
    el('p', { className: 'hint' }, `Up to ${long(seconds)}. It is kept on this device while you speak.`),
  );
  stop.focus({ preventScroll: true });
  const timer = setInterval(() => {
    while (peaks.length * STEP < clock()) peaks.push(hears.level());
    wave(canvas, peaks.slice(-40), 1, true);
    time.textContent = clockOf(clock());
    if (clock() >= 1000 * seconds || !box.isConnected) recorder.stop();
  }, STEP);
  recorder.ondataavailable = (e) => {
    if (!e.data.size) return;
    parts.push(e.data);
    kept.add(e.data, peaks.slice(told), shown?.steps.slice(noted));
    told = peaks.length;
    noted = shown?.steps.length ?? 0;
  };
  recorder.onstop = () => {
    clearInterval(timer);
    hears.stop();
    shown?.stop();
    const r = { id, blob: new Blob(parts, { type: recorder.mimeType.split(';')[0] }), peaks, steps: shown?.steps };
    review(box, of, r, drop, keep, atOnce);
  };
  recorder.start(PIECE);
  began = performance.now();
}

/**
 * review lets somebody listen to what was recorded, cut its ends off, and keep it, do
 * it again or drop it; at once it is kept without that.
 * @param {HTMLElement} box
 * @param {any} of as of record
 * @param {{ id: string, blob: Blob, peaks: number[], steps?: any[], said?: string }} r
 * @param {() => void} drop
 * @param {(voice: any) => void} keep
 * @param {boolean} [atOnce]
 */
export function review(box, of, r, drop, keep, atOnce) {
  const url = URL.createObjectURL(r.blob),
    ms = Math.max(r.peaks.length * STEP, STEP),
    part = [0, ms];
  const gone = () => {
    if (r.steps) showing().then(([, talk]) => talk.stop());
    URL.revokeObjectURL(url);
    player.pause();
    pieces.drop(of.person, r.id);
  };
  const over = () =>
    showing().then(([, talk]) =>
      talk.play({ url, steps: r.steps, peaks: r.peaks, ms, part, name: 'what you recorded' }),
    );
  const player = clip(url, r.peaks, ms, part, r.steps && over),
    trouble = el('p', { role: 'alert', hidden: true });
  const end = (i, words) => {
    const at = el('output', {}, clockOf(part[i])),
      range = el('input', { type: 'range', min: 0, max: ms, step: STEP, value: part[i], 'aria-label': words });
    range.addEventListener('input', () => {
      part[i] = i ? Math.max(+range.value, part[0] + STEP) : Math.min(+range.value, part[1] - STEP);
      range.value = String(part[i]);
      at.textContent = clockOf(part[i]);
      player.show();
    });
    return el('label', {}, el('span', {}, words), range, at);
  };
  const send = button(
    'Keep',
    async () => {
      send.disabled = true;
      send.textContent = 'Keeping…';
      const cut = part[0] > 0 || part[1] < ms ? `from=${part[0]}&to=${part[1] < ms ? part[1] : ''}` : '';
      try {
        const voice = await ask(`${of.to}${cut && (of.to.includes('?') ? '&' : '?')}${cut}`, {
          method: 'POST',
          body: r.steps ? form(r) : r.blob,
        });
        gone();
        keep(voice);
      } catch (e) {
        send.disabled = false;
        send.textContent = 'Keep';
        trouble.hidden = false;
        trouble.textContent = `Not kept: ${e.message} The recording is still here.`;
      }
    },
    'dark',
  );
  box.replaceChildren(
    el('div', { className: 'by' }, icon('voice'), r.said ?? `Your ${(of.name ?? 'Voice note').toLowerCase()}`),
    player.box,
    el('details', { className: 'trim' }, el('summary', {}, 'Cut the ends off'), end(0, 'Begins at'), end(1, 'Ends at')),
    trouble,
    el(
      'div',
      { className: 'tools' },
      send,
      button('Do again', () => {
        gone();
        record(box, of, drop, keep);
      }),
      button(
        'Drop',
        () => {
          gone();
          drop();
        },
        'quiet',
      ),
    ),
  );
  send.focus({ preventScroll: true });
  if (atOnce) send.click();
}
