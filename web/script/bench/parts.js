// parts are the small pieces that the bench's panels are made of.

import { el, icon } from '../paint.js';

export const button = (sign, words, run, kind = '') =>
  el('button', { className: `button ${kind}`, on: { click: run } }, sign ? icon(sign) : null, words);

let last = 0;
// field is an input with its label; set(value) is called as one types.
export function field(words, value, set, more = {}) {
  const id = `field-${++last}`,
    { tag = 'input', hint, ...props } = more;
  const f = el(tag, { className: 'field', id, value: value ?? '', ...props });
  f.addEventListener('input', () => set(f.value, f));
  return el(
    'div',
    {},
    el(
      'label',
      { className: 'label', htmlFor: id },
      words,
      hint ? el('span', { className: 'hint font-normal' }, ` ${hint}`) : null,
    ),
    f,
  );
}

export function choice(words, value, options, set) {
  const id = `field-${++last}`;
  const f = el(
    'select',
    { className: 'field', id },
    ...options.map(([v, name]) => el('option', { value: v, selected: v === value }, name)),
  );
  f.addEventListener('change', () => set(f.value));
  return el('div', {}, el('label', { className: 'label', htmlFor: id }, words), f);
}
