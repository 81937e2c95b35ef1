// sheet lays the pages of a copy so that they can be read and drawn on at
// once; everything else of the screen follows in screen.js. What is imported
// here is fetched ahead of the page, so it is kept small.

import { begin, look, settings } from './settings.js';
import { fit, lay, surface } from './surface.js';
import { take } from './pointer.js';
import { toast } from './toast.js';
import './pen.js';

const view = JSON.parse(document.querySelector('#view').textContent);
lay(view);
begin(view);
look();
if (view.edit) take(settings.hand);
fit('width');

const frame = () =>
  new Promise((ok) => {
    requestAnimationFrame(ok);
  });
const seen = surface
  .seen()
  .then(frame)
  .then(frame)
  .then(() => performance.mark('readable'));
await Promise.race([
  seen,
  new Promise((ok) => {
    setTimeout(ok, 400);
  }),
]); // the page first, but no picture that is late holds up the rest

// A page from before the server was brought up to date gets nothing more of
// its own version, and never parts of another one: it is loaded again, once.
const AGAIN = 'loaded again';
async function orAgain(part) {
  try {
    return await part();
  } catch (e) {
    if (sessionStorage.getItem(AGAIN)) {
      sessionStorage.removeItem(AGAIN);
      toast('This page did not load to its end. Nothing that was saved is lost. Load it again in a moment.', {
        stays: true,
      });
    } else {
      sessionStorage.setItem(AGAIN, 'yes');
      location.reload();
    }
    console.warn(e);
    return new Promise(() => {});
  }
}
export const desk = await orAgain(() => import('./screen.js'));
await orAgain(() => desk.begins(view));
sessionStorage.removeItem(AGAIN);
