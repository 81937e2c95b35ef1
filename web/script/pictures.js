// pictures lays pictures on the page: of the sheet's shelf, from a file, from
// the camera, dropped on the page or pasted.

import { ask } from './net.js';
import { el } from './paint.js';
import { at, current, round, surface } from './surface.js';
import { add, layerNow, marks, set } from './marks.js';
import { instruments } from './pointer.js';
import { settings } from './settings.js';
import { toast } from './toast.js';

const EDGE = 18; // points kept free about a picture that fills a page

// lay puts a picture on the page; one that fills it may take another's place.
function lay(p, of, instead) {
  if (p.whole) {
    // as large as the page lets it be
    const k = Math.min((p.sheet.w - 2 * EDGE) / of.w, (p.sheet.h - 2 * EDGE) / of.h),
      x = (p.sheet.w - of.w * k) / 2,
      y = (p.sheet.h - of.h * k) / 2;
    const body = { hash: of.hash, name: of.name, rect: [x, y, x + of.w * k, y + of.h * k].map(round) };
    return instead ? set(instead.id, { ...instead, body }) : add('picture', p.sheet.number, body);
  }
  const w = Math.min(p.sheet.w / 3, of.w * 0.75),
    h = (w * of.h) / of.w,
    x = Math.min(Math.max(p.x - w / 2, 0), p.sheet.w - w),
    y = Math.min(Math.max(p.y - h / 2, 0), Math.max(p.sheet.h - h, 0));
  return add('picture', p.sheet.number, { hash: of.hash, name: of.name, rect: [x, y, x + w, y + h].map(round) });
}

// reshaped reports whether a picture has other sides than the file had.
async function reshaped(file, of) {
  const was = await createImageBitmap(file).catch(() => null),
    there = of.w / of.h;
  return !was || Math.abs(was.width / was.height - there) > 0.02 * there;
}

instruments.picture = {
  tap(p) {
    const shelf = marks.view.shelf ?? [],
      of = shelf.find((s) => s.hash === settings.picture) ?? shelf[0];
    if (of) lay(p, of);
    else choose(p);
  },
};

// choose asks for a file, or for a picture from the camera.
export function choose(p, camera) {
  const input = el('input', { type: 'file', accept: 'image/png,image/jpeg,image/webp,image/heic' });
  if (camera) input.setAttribute('capture', 'environment');
  input.addEventListener('change', () => {
    if (input.files[0]) bring(input.files[0], null, p);
  });
  input.click();
}

// bring sends a picture to the copy and lays it where the pointer is. One that
// fills a page is of a sheet of paper, which is straightened.
export async function bring(file, where, p, { asTaken = false, instead = null } = {}) {
  p ??=
    where && document.elementFromPoint(where.x, where.y)?.closest('.sheet')
      ? at({ clientX: where.x, clientY: where.y, target: document.elementFromPoint(where.x, where.y) })
      : null;
  if (!p) {
    const s = current();
    p = { sheet: s, x: s.w / 2, y: s.h / 3 };
  }
  if (!marks.view.copy) {
    toast('Nothing is kept while the worksheet is tried out, so pictures cannot be brought.');
    return;
  }
  const layer = layerNow(),
    body = new FormData();
  body.append('file', file, file.name || 'Picture');
  if (p.whole && !asTaken) body.append('sheet', 'yes');
  toast('Bringing the picture in…');
  try {
    const of = await ask(`/copies/${marks.view.copy}/pictures?layer=${layer}`, { method: 'POST', body });
    document.querySelector('.toast')?.remove();
    const laid = lay(p, of, instead);
    if (p.whole && !asTaken && laid && (await reshaped(file, of)))
      toast('The photograph was straightened.', {
        act: ['Leave it as it was taken', () => bring(file, null, p, { asTaken: true, instead: laid })],
      });
  } catch (e) {
    toast(`The picture was not brought in. ${e.message}`);
  }
}

const carries = (e) => [...(e.dataTransfer?.items ?? [])].some((i) => i.kind === 'file' && i.type.startsWith('image/'));
surface.desk.addEventListener('dragover', (e) => {
  if (marks.view?.edit && carries(e)) e.preventDefault();
});
surface.desk.addEventListener('drop', (e) => {
  const file = [...(e.dataTransfer?.files ?? [])].find((f) => f.type.startsWith('image/'));
  if (!file || !marks.view?.edit) return;
  e.preventDefault();
  bring(file, { x: e.clientX, y: e.clientY });
});
