// neat offers, beside a line just drawn, the shape that it resembles most. One
// press takes it; going on with anything else lets the offer go.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { pixels, sheetOf, surface } from './surface.js';
import { find, set, together } from './marks.js';
import { newId } from './ids.js';

const NAMES = {
  line: 'Make it a straight line?',
  arrow: 'Make it an arrow?',
  square: 'Make it a box?',
  circle: 'Make it an ellipse?',
};
let sign = null,
  before = null;

export function dismiss() {
  sign?.remove();
  sign = null;
}

export function fresh(mark) {
  dismiss();
  const e = find(mark.id),
    shaft =
      before && Date.now() - before.at < 2500 && find(before.id)?.mark.page === mark.page ? find(before.id) : null;
  before = { id: mark.id, at: Date.now() };
  if (!e) return;
  const like = core.resembles(e.version, shaft?.version);
  if (!like) return;
  const b = core.bounds(e.version),
    sheet = sheetOf(mark.page),
    z = pixels();
  sign = el(
    'button',
    {
      className: 'offer neat',
      on: {
        pointerdown: (ev) => {
          ev.preventDefault();
          ev.stopPropagation();
          take(mark, like, shaft);
        },
      },
    },
    icon(`shape-${like.kind}`),
    NAMES[like.kind],
    el('small', {}, 'or just go on'),
  );
  Object.assign(sign.style, {
    top: `${Math.max(b[1] - 8, 2) * z}px`,
  });
  sign.addEventListener('click', (ev) => {
    if (!ev.detail) take(mark, like, shaft);
  }); // by keyboard
  sheet.box.append(sign);
  sign.style.left = `${Math.max(2, Math.min((b[2] + 6) * z, sheet.w * z - sign.offsetWidth - 4))}px`;
}

function take(mark, like, shaft) {
  dismiss();
  const entry = find(mark.id),
    now = entry?.mark;
  if (!now) return;
  together(() => {
    if (like.kind === 'arrow' && shaft && shaft.mark.id !== mark.id) set(shaft.mark.id, null, { before: shaft.mark });
    set(mark.id, null, { before: now });
    const neat = {
      id: newId(),
      page: now.page,
      kind: like.as,
      body: like.body,
      ...(now.helper ? { helper: now.helper } : {}),
    };
    set(neat.id, neat, { before: null, layer: entry.layer });
  });
  before = null;
}

document.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') dismiss();
});
surface.desk.addEventListener(
  'pointerdown',
  (e) => {
    if (!e.target.closest('.offer')) dismiss();
  },
  true,
);
