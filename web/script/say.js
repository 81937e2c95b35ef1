// say has the instruments that speak: note and voice note. Both begin at a
// place on the page, or on a mark, and are written or recorded in the margin.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { ask } from './net.js';
import { pixels } from './surface.js';
import { add, marks, newId } from './marks.js';
import { instruments } from './pointer.js';
import { draft } from './margin.js';
import { clip, clockOf, wave } from './clip.js';

// placeOf gives the place of a note: the point, and the mark under it.
function placeOf(p) {
  const round = (v) => Math.round(v * 100) / 100;
  const layers = [...new Set([...marks.shown.values()].map((e) => e.layer))];
  const on = layers.map((l) => marks.shown.get(core.hit(l, p.sheet.number, p, 3 / pixels()))).find((e) => e && e.mark.kind !== 'note');
  return { at: [round(p.x), round(p.y)], ...(on ? { on: on.mark.id } : {}) };
}

instruments.note = {
  tap(p) {
    this.leave();
    const place = placeOf(p), key = newId();
    const area = el('textarea', { rows: 2, 'aria-label': 'Your note', placeholder: 'Write a note' });
    const keep = () => {
      if (this.open !== keep) return;
      this.open = null;
      const text = area.value.trim();
      end();
      if (text) add('note', p.sheet.number, { ...place, text });
    };
    const end = draft(key, p.sheet.number, place.at, area, el('div', { className: 'tools' },
      el('button', { className: 'button dark', on: { click: keep } }, 'Keep'), el('button', { className: 'button quiet', on: { click: () => { area.value = ''; keep(); } } }, 'Drop')));
    this.open = keep;
    area.addEventListener('keydown', (e) => {
      if (e.key === 'Escape' || (e.key === 'Enter' && (e.ctrlKey || e.metaKey))) { e.preventDefault(); keep(); }
    });
    area.focus({ preventScroll: true });
  },
  leave() { this.open?.(); },
};

const TROUBLE = {
  NotAllowedError: 'The microphone was refused. Allow it for this page in the browser’s address bar, then press the page again. You can type a note instead.',
  NotFoundError: 'No microphone was found. Plug one in, or type a note instead.',
  NotReadableError: 'Another program is using the microphone. Close it there, or type a note instead.',
};

instruments.voice = {
  async tap(p) {
    if (this.busy) return;
    const place = placeOf(p), key = newId();
    const body = el('div');
    const end = draft(key, p.sheet.number, place.at, body);
    const finish = () => { this.busy = null; end(); };
    this.busy = finish;
    await record(body, finish, (voice) => { finish(); add('note', p.sheet.number, { ...place, voice }); });
  },
};

const KINDS = ['audio/webm;codecs=opus', 'audio/mp4;codecs=opus', 'audio/mp4', 'audio/ogg;codecs=opus'];

// record shows the recorder in box: level and time, then listen, keep or do again.
async function record(box, drop, keep) {
  const close = () => el('button', { className: 'button quiet', on: { click: drop } }, 'Drop');
  let stream;
  try {
    if (!navigator.mediaDevices) throw Object.assign(new Error(), { name: 'Insecure' });
    stream = await navigator.mediaDevices.getUserMedia({ audio: true });
  } catch (e) {
    const text = TROUBLE[e.name] ?? 'This browser gives no microphone here (it needs a secure address). You can type a note instead.';
    box.replaceChildren(el('p', { role: 'alert' }, text), el('div', { className: 'tools' }, el('button', { className: 'button', on: { click: drop } }, 'Close')));
    return;
  }
  const recorder = new MediaRecorder(stream, { mimeType: KINDS.find((k) => MediaRecorder.isTypeSupported(k)), audioBitsPerSecond: 32000 });
  const parts = [], peaks = [], began = Date.now(), most = marks.view.voice * 1000;
  const audio = new AudioContext(), meter = audio.createAnalyser(), data = new Float32Array(1024);
  audio.createMediaStreamSource(stream).connect(meter);
  const canvas = el('canvas', { width: 300, height: 68 }), time = el('time', {}, '0:00');
  const stop = el('button', { className: 'go', 'aria-label': 'Stop', on: { click: () => recorder.state === 'recording' && recorder.stop() } }, icon('stop'));
  box.replaceChildren(el('div', { className: 'by' }, icon('voice'), 'Recording'), el('div', { className: 'clip live' }, stop, canvas, time), el('p', { className: 'hint' }, 'Stop, listen, then keep or do again'));
  stop.focus({ preventScroll: true });
  const timer = setInterval(() => {
    meter.getFloatTimeDomainData(data);
    peaks.push(Math.min(100, Math.round(Math.max(...data.map(Math.abs)) * 100)));
    wave(canvas, peaks.slice(-40), 1, true);
    time.textContent = clockOf(Date.now() - began);
    if (Date.now() - began >= most) recorder.stop();
  }, 100);
  recorder.ondataavailable = (e) => parts.push(e.data);
  recorder.onstop = () => {
    clearInterval(timer);
    for (const t of stream.getTracks()) t.stop();
    audio.close();
    const blob = new Blob(parts, { type: recorder.mimeType.split(';')[0] }), url = URL.createObjectURL(blob);
    const again = () => { URL.revokeObjectURL(url); record(box, drop, keep); };
    const send = el('button', { className: 'button dark', on: { click: async () => {
      send.disabled = true;
      send.textContent = 'Keeping…';
      try {
        const voice = await ask(`/copies/${marks.view.copy}/sounds?layer=${marks.view.edit}`, { method: 'POST', body: blob });
        URL.revokeObjectURL(url);
        keep(voice);
      } catch (e) {
        send.disabled = false;
        send.textContent = 'Keep';
        trouble.hidden = false;
        trouble.textContent = `Not kept: ${e.message} The recording is still here.`;
      }
    } } }, 'Keep');
    const trouble = el('p', { role: 'alert', hidden: true });
    box.replaceChildren(el('div', { className: 'by' }, icon('voice'), 'Your voice note'), clip(url, peaks, Date.now() - began), trouble,
      el('div', { className: 'tools' }, send, el('button', { className: 'button', on: { click: again } }, 'Do again'), close()));
  };
  recorder.start();
}
