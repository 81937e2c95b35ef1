// fill has the places of a sheet that are pressed or chosen from: tick boxes,
// of a form or only printed, and the lists of a form.

import { el } from './paint.js';
import { pixels, round, sheetOf, surface } from './surface.js';
import { newId } from './ids.js';
import { add, marks, mayChange, set, together } from './marks.js';
import { hand } from './pointer.js';
import { settings } from './settings.js';
import { counted, walk } from './blanks.js';
import * as strip from './strip.js';
import { again, LEADING } from './rich.js';

// isPressed says that a place is not written in.
export const isPressed = (b) => b.k === 'tick' || (b.o?.length > 0 && !!b.f);

const own = (b) =>
  [...marks.shown.values()].filter((e) => e.layer === 'work' && e.mark.page === b.page && !e.conflict && mayChange(e));
const same = (a, b) => a.every((v, i) => Math.abs(v - b[i]) < 1);

// filledIn gives what was filled into a field, if anything.
export const filledIn = (b) =>
  own(b).find((e) => e.mark.kind === 'widget' && (e.mark.blank ? e.mark.blank === b.i : same(e.mark.body.rect, b.r)));

const middle = (r) => [(r[0] + r[2]) / 2, (r[1] + r[3]) / 2];
export function ticked(b) {
  if (b.f) return filledIn(b);
  return own(b).find((e) => {
    if (e.mark.kind !== 'stamp') return false;
    if (e.mark.blank) return e.mark.blank === b.i;
    const [x, y] = middle(e.mark.body.rect);
    return x > b.r[0] - 3 && x < b.r[2] + 3 && y > b.r[1] - 3 && y < b.r[3] + 3;
  });
}

// tick puts a sign into a box, or takes it out again: a tick, or the stamp that
// is in the hand.
export function tick(b) {
  const now = ticked(b);
  if (now) set(now.mark.id, null, { before: now.mark });
  else stampIn(b, hand.name === 'stamp' && settings.stamp.own === undefined ? settings.stamp.name : 'tick');
}

// stampIn puts a sign into the middle of a box.
export function stampIn(b, name) {
  const [x, y] = middle(b.r),
    half = Math.max(Math.min(b.r[2] - b.r[0], b.r[3] - b.r[1]) * 0.55, 5);
  together(() => {
    if (b.x)
      for (const e of [...marks.shown.values()])
        if (e.mark.kind === 'widget' && e.mark.body.field === b.f && e.layer === 'work' && mayChange(e))
          set(e.mark.id, null, { before: e.mark });
    const blank = { blank: b.i };
    if (b.f)
      add('widget', b.page, { field: b.f, values: [b.v || 'Yes'], rect: b.r, sign: b.x ? 'dot' : 'check' }, blank);
    else
      add(
        'stamp',
        b.page,
        {
          name,
          color: hand.name === 'stamp' ? settings.stamp.color : settings.type.color,
          rect: [x - half, y - half, x + half, y + half].map(round),
        },
        blank,
      );
  });
}

// choose keeps what was chosen from a list, as text in its place.
export function choose(b, values) {
  const now = filledIn(b),
    id = now?.mark.id ?? newId();
  if (!values.length || !values[0]) {
    if (now) set(id, null, { before: now.mark });
    return;
  }
  const sheet = sheetOf(b.page),
    high = b.r[3] - b.r[1],
    rows = values.length;
  let size = Math.min(b.s, b.n ? Math.max((high - 4) / (LEADING * rows), 6) : 99),
    text;
  do {
    const run = (t) => ({ runs: [{ text: t, size, color: settings.type.color }], hard: true });
    text = again(sheet, { x: b.r[0] + 3, y: b.n ? b.r[1] + size + 2 : b.y, width: 0, lines: values.map(run) }, {});
    size -= 0.5;
  } while (text.width > b.r[2] - b.r[0] - 4 && size >= 6);
  set(
    id,
    {
      ...(now?.mark ?? {}),
      id,
      page: b.page,
      blank: b.i,
      kind: 'widget',
      body: { field: b.f, values, rect: b.r, text },
    },
    { before: now?.mark ?? null, written: true },
  );
}

let open = null;
export function finishFilling() {
  const o = open;
  open = null;
  if (!o) return;
  strip.hide();
  o.remove();
}

// press ticks a box when it was touched, and gives the place to the keyboard.
export function press(b, sheet, touched) {
  finishFilling();
  const z = pixels(),
    label = b.l || (b.k === 'tick' ? 'Tick box' : 'Choose');
  if (b.k === 'tick') {
    if (touched) tick(b);
    const say = () => {
      open?.setAttribute('aria-checked', String(!!ticked(b)));
    };
    open = el('button', {
      className: 'field-box',
      role: b.x ? 'radio' : 'checkbox',
      'aria-label': label,
      on: {
        click: () => {
          tick(b);
          say();
        },
      },
    });
    say();
  } else if (b.n) {
    const now = new Set(filledIn(b)?.mark.body.values ?? []);
    const one = (o) =>
      el(
        'label',
        {},
        el('input', {
          type: 'checkbox',
          checked: now.has(o),
          on: {
            change: (e) => {
              if (e.target.checked) now.add(o);
              else now.delete(o);
              choose(
                b,
                b.o.filter((x) => now.has(x)),
              );
            },
          },
        }),
        o,
      );
    open = el('fieldset', { className: 'field-box choices', 'aria-label': label }, ...b.o.map(one));
  } else if (b.w) {
    const id = newId(),
      input = el('input', {
        value: filledIn(b)?.mark.body.values[0] ?? '',
        'aria-label': label,
        maxLength: b.m || 200,
      });
    input.setAttribute('list', id);
    input.addEventListener('change', () => choose(b, [input.value.trim()]));
    open = el(
      'div',
      { className: 'field-box' },
      input,
      el('datalist', { id }, ...b.o.map((o) => el('option', { value: o }))),
    );
  } else {
    open = el(
      'select',
      { className: 'field-box', 'aria-label': label },
      el('option', { value: '' }, ''),
      ...b.o.map((o) => el('option', { value: o }, o)),
    );
    open.value = filledIn(b)?.mark.body.values[0] ?? '';
    open.addEventListener('change', (e) => choose(b, [e.target.value]));
  }
  const box = open;
  Object.assign(box.style, {
    left: `${b.r[0] * z}px`,
    top: `${b.r[1] * z}px`,
    minWidth: `${(b.r[2] - b.r[0]) * z}px`,
    minHeight: `${(b.r[3] - b.r[1]) * z}px`,
  });
  const end = () => {
    finishFilling();
    surface.desk.focus({ preventScroll: true });
  };
  const go = (back) => {
    finishFilling();
    return walk(b.page, ...middle(b.r), back);
  };
  box.addEventListener('keydown', (e) => {
    e.stopPropagation();
    if (e.key === 'Escape') {
      e.preventDefault();
      end();
      return;
    }
    if (e.key !== 'Tab') return;
    const stops = [...box.querySelectorAll('input')],
      i = stops.indexOf(e.target);
    if (stops.length && (e.shiftKey ? i > 0 : i < stops.length - 1)) return;
    if (go(e.shiftKey)) e.preventDefault();
  });
  box.addEventListener('focusout', (e) => {
    if (open === box && !box.contains(e.relatedTarget))
      setTimeout(() => {
        if (open === box && !box.contains(document.activeElement)) finishFilling();
      });
  });
  sheet.box.append(box);
  (box.querySelector('input') ?? box).focus({ preventScroll: true });
  strip.show(box, { ...counted(b), go, end });
  if (touched && box.nodeName === 'SELECT')
    try {
      box.showPicker?.();
    } catch {
      /* it opens by a further press */
    }
}
