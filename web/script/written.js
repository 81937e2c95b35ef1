// written keeps what a teacher writes and draws on the sheet itself: all of it, soon
// after every change.

import { ask } from './net.js';
import { marks } from './marks.js';
import { showSaved } from './saved.js';

const REST = 700; // milliseconds
let timer = 0,
  dirty = false,
  running = null;

// soon keeps what stands there in a moment.
export function soon() {
  if (!marks.view?.writes) return;
  dirty = true;
  showSaved('saving', 'Saving…');
  clearTimeout(timer);
  timer = setTimeout(() => send(), REST);
}

function send(keepalive = false) {
  if (running || !dirty) return running;
  running = (async () => {
    while (dirty) {
      dirty = false;
      const all = [...marks.shown.values()].filter((e) => e.layer === 'sheet').map((e) => e.mark);
      try {
        const answer = await ask(`/worksheets/${marks.view.writes}/written`, {
          method: 'POST',
          json: { version: marks.view.version, marks: all },
          keepalive,
        });
        marks.view.version = answer.version;
        if (!dirty) showSaved('saved', 'Saved');
      } catch (e) {
        if (e.status === 0) {
          dirty = true;
          showSaved('waiting', 'On this device only: there is no connection. We try again.');
          await new Promise((ok) => {
            setTimeout(ok, 2500);
          });
        } else showSaved('failed', `Not saved: ${e.message}`);
      }
    }
  })().finally(() => {
    running = null;
  });
  return running;
}

window.addEventListener('pagehide', () => {
  clearTimeout(timer);
  send(true);
});
window.addEventListener('beforeunload', (e) => {
  if (dirty || running) e.preventDefault();
});
