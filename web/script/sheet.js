// sheet lays the pages of a copy so that they can be read and drawn on at
// once; everything else of the screen follows in desk.js. What is imported
// here is fetched ahead of the page, so it is kept small.

import { begin, look, settings } from './settings.js';
import { fit, lay, surface } from './surface.js';
import { take } from './pointer.js';
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
export const desk = await import('./desk.js');
await desk.begins(view);
