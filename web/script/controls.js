// controls has what popovers are made of.

import { el, icon } from './paint.js';

export const row = (...c) => el('div', { className: 'row' }, ...c);
export const hint = (words) => el('span', { className: 'hint' }, words);
export const chip = (sign, words, on, run, more = {}) =>
  el(
    'button',
    { className: 'kind', 'aria-pressed': String(on), on: { click: run }, ...more },
    sign && typeof sign === 'string' ? icon(sign) : sign,
    words,
  );
export const act = (sign, words, run) => el('button', { className: 'button', on: { click: run } }, icon(sign), words);

// swatches has colours by their names; one without a value stands for none.
export function swatches(colors, now, choose) {
  return row(
    ...Object.entries(colors).map(([name, value]) => {
      if (!value)
        return el(
          'button',
          {
            className: 'kind',
            'aria-pressed': String(!now),
            on: { click: () => choose('') },
          },
          el('i', { className: 'open-disc' }),
          name,
        );
      const b = el('button', {
        className: 'swatch',
        title: name,
        'aria-label': name,
        'aria-pressed': String(value === (now ?? '')),
        on: { click: () => choose(value) },
      });
      b.style.background = value;
      return b;
    }),
  );
}
// dyed shows a colour beside words.
export function dyed(color) {
  const i = el('i', { className: 'dyed' });
  i.style.background = color;
  return i;
}
// stepper makes a number smaller and larger.
export function stepper(label, value, set, step, least, most) {
  const change = (d) => set(Math.min(Math.max(Math.round((value + d) * 100) / 100, least), most));
  return row(
    hint(label),
    el(
      'span',
      { className: 'step' },
      el('button', { 'aria-label': `${label} smaller`, on: { click: () => change(-step) } }, icon('minus')),
      el('output', {}, String(value)),
      el('button', { 'aria-label': `${label} larger`, on: { click: () => change(step) } }, icon('plus')),
    ),
  );
}
// slider sets a strength from a tenth to all of it.
export function slider(label, value, set) {
  const s = el('input', {
    type: 'range',
    min: 10,
    max: 100,
    step: 5,
    value: Math.round(value * 100),
    'aria-label': label,
  });
  s.addEventListener('change', () => set(s.value / 100));
  return row(hint(label), s);
}
