// offline asks the browser to keep what this copy needs, and shows a copy that
// was opened from there as this device knew it last.

import { marks } from './marks.js';
import { pictureAt, printAt, surface } from './surface.js';
import { toast } from './toast.js';
import * as queue from './queue.js';

export const fromDevice = !!document.querySelector('meta[name="from-device"]');
const PAGES = 40; // of which pictures are kept before they are looked at

// idle waits until nobody draws and nothing else is to be done.
const idle = (timeout) =>
  new Promise((ok) => {
    if (window.requestIdleCallback) requestIdleCallback(ok, { timeout });
    else setTimeout(ok, 50);
  });

// keep lets the copy be opened again without a connection. It begins a while
// after the copy was opened, so that it takes nothing from the first strokes.
export async function keep(view) {
  if (view.trial || view.teacher || view.past || !navigator.serviceWorker) return;
  await new Promise((ok) => {
    setTimeout(ok, 3000);
  });
  await idle(5000);
  try {
    await navigator.serviceWorker.register('/service-worker.js');
    const { active } = await navigator.serviceWorker.ready;
    const files = surface.sheets
      .filter((s) => !s.added)
      .slice(0, PAGES)
      .flatMap((s) => [pictureAt(s.number, 150), printAt(s.number)]);
    if (!fromDevice)
      active.postMessage({
        page: location.pathname,
        leads: [`/assignments/${view.assignment}`],
        files: [`/sheets/${view.sheet}/guide`, `/sheets/${view.sheet}/words`, ...files],
      });
  } catch {
    /* a browser that keeps nothing works as long as it is connected */
  }
}

// A moment after changes were saved, and when the screen is left, the device
// notes what it knows of the copy.
let timer = 0;
export function note(wait = 2000) {
  const { view } = marks;
  if (!view || view.trial || view.teacher || view.past) return;
  clearTimeout(timer);
  timer = setTimeout(async () => {
    if (wait) await idle(4000);
    queue.remember(view.copy, () => ({
      ...marks.view,
      marks: [...marks.shown.values()].map(({ groups, ...m }) => m),
      seq: queue.known(view.edit),
    }));
  }, wait);
}
document.addEventListener('visibilitychange', () => {
  if (document.hidden) note(0);
});

if (fromDevice)
  toast('There is no connection. You can work on: everything is kept on this device and sent when it is back.');
