// pointer hands gestures on the sheet to the instrument in hand. An
// instrument has down, move and up; each gets the place in page space. It may
// also have `tap` for what only a press without a drag means.

import { at, surface } from './surface.js';
import { settings } from './settings.js';

const desk = surface.desk;
export const instruments = {};
export const hand = { name: 'type', onChange: /** @type {(...args: any[]) => any} */ (() => {}) };
let gesture = null,
  pencil = false,
  lent = '',
  holds = '';

export function take(name) {
  if (gesture) drop();
  if (hand.name !== name) instruments[hand.name]?.leave?.();
  hand.name = name;
  settings.hand = name;
  desk.dataset.hand = name;
  desk.classList.toggle('draws', !!instruments[name]?.draws);
  desk.classList.toggle('picking', name === 'pick');
  hand.onChange();
}

// lend gives another instrument for a moment, and takes it back with ''.
export function lend(name) {
  if (lent === name) return;
  if (gesture) drop();
  lent = name;
  desk.classList.toggle('lent', !!name);
  desk.classList.toggle('draws', !!instruments[name || hand.name]?.draws);
}

// hold has an instrument do everything that is done on the pages, whichever is in
// hand, until it is let go of with ''.
export function hold(name) {
  if (gesture) drop();
  holds = name;
  desk.classList.toggle('draws', !!instruments[name || hand.name]?.draws);
}

const active = () => instruments[holds || lent || hand.name];
export const inHand = active;

desk.addEventListener('pointerdown', (e) => {
  if (
    e.button !== 0 ||
    e.target.closest('.typing, .marker, .offer, .field-box, .leads, .leads-to, .another, .full-place, .fits')
  )
    return;
  const p = at(e);
  if (!p) {
    instruments.type?.leave?.();
    return;
  }
  if (e.pointerType === 'pen' && !pencil) {
    pencil = true;
    desk.classList.add('pencil');
  }
  if (gesture || (pencil && e.pointerType === 'touch' && active()?.draws)) return; // the palm, or a second finger
  const tool = active();
  if (!tool) return;
  gesture = {
    id: e.pointerId,
    tool,
    sheet: p.sheet,
    from: p,
    moved: false,
    held: false,
    frame: tool.draws ? p.sheet.box.getBoundingClientRect() : null,
  };
  if (tool.draws || tool.down?.(p, e) === true) {
    if (tool.draws) tool.down?.(p, e);
    e.preventDefault();
    try {
      desk.setPointerCapture(e.pointerId);
    } catch {
      /* it has already gone up */
    }
    gesture.held = true;
  }
});

desk.addEventListener('pointermove', (e) => {
  if (!gesture || e.pointerId !== gesture.id) return;
  const p = at(e, gesture.sheet, gesture.frame);
  if (Math.hypot(p.x - gesture.from.x, p.y - gesture.from.y) > 2.5) gesture.moved = true;
  if (!gesture.held) return;
  const all = e.getCoalescedEvents?.() ?? [];
  gesture.tool.move?.(
    p,
    e,
    (all.length ? all : [e]).map((c) => ({ ...at(c, gesture.sheet, gesture.frame), pressure: pressure(c) })),
  );
});

// pressure tells how broad a pencil draws: by how hard it is pressed, and
// broader the flatter it is held; a mouse or a finger draws evenly.
export function pressure(e) {
  if (e.pointerType !== 'pen' || !(e.pressure > 0)) return 0.5;
  const flat = Math.hypot(e.tiltX ?? 0, e.tiltY ?? 0); // degrees from upright
  return Math.min(1, e.pressure * (1 + 0.8 * Math.min(Math.max((flat - 35) / 35, 0), 1)));
}

desk.addEventListener('pointerup', (e) => {
  if (!gesture || e.pointerId !== gesture.id) return;
  const g = gesture;
  gesture = null;
  const p = at(e, g.sheet);
  tapped = !g.moved && e.pointerType !== 'mouse';
  if (g.held) g.tool.up?.(p, e, g.moved);
  if (!g.moved) g.tool.tap?.(p, e);
});

// After a tap the browser sends mouse events of its own. Their mousedown would
// give the focus to the desk and take it from what the tap has just opened, so
// they are done without.
let tapped = false;
desk.addEventListener(
  'touchend',
  (e) => {
    if (tapped && e.cancelable) e.preventDefault();
    tapped = false;
  },
  { passive: false },
);
desk.addEventListener('pointercancel', (e) => {
  if (gesture?.id === e.pointerId) drop();
});
desk.addEventListener('second-finger', () => drop());

function drop() {
  gesture?.tool.cancel?.();
  gesture = null;
}
