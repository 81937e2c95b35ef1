// heard tells the server to where a student has heard what was returned, so that those
// who said it learn of it; the page says that it is so.

import { ask } from './net.js';

const EVERY = 5000; // milliseconds of sound between two that are told

/**
 * follow watches a sound as it is played. Copy and attempt are those of the remark.
 * @param {HTMLAudioElement} audio
 * @param {{copy: number, attempt?: number, remark: string}} of
 */
export function follow(audio, { copy, attempt = 0, remark }) {
  let told = -1,
    far = 0;
  const tell = () => {
    if (far <= told) return;
    told = far;
    ask(`/copies/${copy}/heard`, {
      method: 'POST',
      form: { attempt, remark, ms: Math.round(far) },
      keepalive: true,
    }).catch(() => {
      told = -1; // told again with the next one
    });
  };
  audio.addEventListener('timeupdate', () => {
    if (!audio.paused) far = Math.max(far, audio.currentTime * 1000);
    if (far - told >= EVERY) tell();
  });
  for (const e of ['pause', 'ended'])
    audio.addEventListener(e, () => {
      if (audio.ended) far = audio.duration * 1000;
      tell();
    });
}
