// record is the recorder of voice notes.

import { el, icon } from './paint.js';
import { ask } from './net.js';
import { clip, clockOf, wave } from './clip.js';

const TROUBLE = {
  NotAllowedError:
    'The microphone was refused. Allow it for this page in the browser’s address bar, then press the page again. You can type a note instead.',
  NotFoundError: 'No microphone was found. Plug one in, or type a note instead.',
  NotReadableError: 'Another program is using the microphone. Close it there, or type a note instead.',
};

const KINDS = ['audio/webm;codecs=opus', 'audio/mp4;codecs=opus', 'audio/mp4', 'audio/ogg;codecs=opus'];

// record shows the recorder in box: level and time, then listen, keep or do
// again. What is kept goes to an address of the server, which answers with the
// voice; drop and keep(voice) are called at the end.
export async function record(box, { seconds, to }, drop, keep) {
  const close = () => el('button', { className: 'button quiet', on: { click: drop } }, 'Drop');
  let stream;
  try {
    if (!navigator.mediaDevices) throw Object.assign(new Error(), { name: 'Insecure' });
    stream = await navigator.mediaDevices.getUserMedia({ audio: true });
  } catch (e) {
    const text =
      TROUBLE[e.name] ??
      'This browser gives no microphone here (it needs a secure address). You can type a note instead.';
    box.replaceChildren(
      el('p', { role: 'alert' }, text),
      el('div', { className: 'tools' }, el('button', { className: 'button', on: { click: drop } }, 'Close')),
    );
    return;
  }
  const recorder = new MediaRecorder(stream, {
    mimeType: KINDS.find((k) => MediaRecorder.isTypeSupported(k)),
    audioBitsPerSecond: 32000,
  });
  const parts = [],
    peaks = [],
    began = Date.now(),
    most = seconds * 1000;
  const audio = new AudioContext(),
    meter = audio.createAnalyser(),
    data = new Float32Array(1024);
  audio.createMediaStreamSource(stream).connect(meter);
  const canvas = el('canvas', { width: 300, height: 68 }),
    time = el('time', {}, '0:00');
  const stop = el(
    'button',
    { className: 'go', 'aria-label': 'Stop', on: { click: () => recorder.state === 'recording' && recorder.stop() } },
    icon('stop'),
  );
  box.replaceChildren(
    el('div', { className: 'by' }, icon('voice'), 'Recording'),
    el('div', { className: 'clip live' }, stop, canvas, time),
    el('p', { className: 'hint' }, 'Stop, listen, then keep or do again'),
  );
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
    const blob = new Blob(parts, { type: recorder.mimeType.split(';')[0] }),
      url = URL.createObjectURL(blob);
    const again = () => {
      URL.revokeObjectURL(url);
      record(box, { seconds, to }, drop, keep);
    };
    const send = el(
      'button',
      {
        className: 'button dark',
        on: {
          click: async () => {
            send.disabled = true;
            send.textContent = 'Keeping…';
            try {
              const voice = await ask(to, { method: 'POST', body: blob });
              URL.revokeObjectURL(url);
              keep(voice);
            } catch (e) {
              send.disabled = false;
              send.textContent = 'Keep';
              trouble.hidden = false;
              trouble.textContent = `Not kept: ${e.message} The recording is still here.`;
            }
          },
        },
      },
      'Keep',
    );
    const trouble = el('p', { role: 'alert', hidden: true });
    box.replaceChildren(
      el('div', { className: 'by' }, icon('voice'), 'Your voice note'),
      clip(url, peaks, Date.now() - began),
      trouble,
      el(
        'div',
        { className: 'tools' },
        send,
        el('button', { className: 'button', on: { click: again } }, 'Do again'),
        close(),
      ),
    );
  };
  recorder.start();
}
