// places makes a real control of every place on a sheet: a field, a tick box, a list.
// What it holds is what stands on the page.

import { setText, standsIn, textIn, valuesOf } from './answers.js';
import { choose, tick } from './fill.js';
import { newId } from './ids.js';
import { marks } from './marks.js';
import { el, icon } from './paint.js';
import { hold } from './queue.js';
import { pixels, sheetOf } from './surface.js';
import { isOneLine } from './type.js';

const WRITTEN = ['line', 'lines', 'cell', 'box', 'comb', 'room', 'number'];
const SOON = 200; // milliseconds after a letter until it is kept

const mayWrite = () => marks.view.edit === 'work' && !marks.view.teacher;

/**
 * place makes one: of is the place with its page, name what it is called.
 * @param {any} of
 * @param {string} name
 * @param {{toPage: (page: number, y: number) => void, shown: () => boolean}} view
 */
export function place(of, name, view) {
  const one = { of, name, box: null, show: () => {} };
  if (of.k === 'tick') ticks(one);
  else if (of.f && of.o?.length) lists(one);
  else if (WRITTEN.includes(of.k)) writes(one);
  else
    one.box = el(
      'button',
      { className: 'button quiet on-page', on: { click: () => view.toPage(of.page, of.r[1]) } },
      icon('pen'),
      `${of.k === 'shade' ? 'Shade' : of.k === 'drawing' ? 'Draw' : 'Mark'} on the page: ${name}`,
    );
  ring(one, view);
  return one;
}

function ticks(one) {
  const { of } = one,
    input = el('input', { type: of.x ? 'radio' : 'checkbox', 'aria-label': one.name });
  if (of.x) input.name = `of ${of.page} ${of.f}`;
  input.addEventListener('change', () => {
    if (input.checked !== !!standsIn(of).length) tick(of);
  });
  one.box = input;
  one.show = () => {
    input.disabled = !mayWrite();
    input.checked = standsIn(of).length > 0;
  };
}

function lists(one) {
  const { of } = one;
  if (of.n) {
    const boxes = of.o.map((o) => el('input', { type: 'checkbox', value: o }));
    one.box = el(
      'fieldset',
      {
        className: 'several',
        on: {
          change: () =>
            choose(
              of,
              boxes.filter((b) => b.checked).map((b) => b.value),
            ),
        },
      },
      el('legend', {}, one.name),
      ...boxes.map((b) => el('label', {}, b, ` ${b.value}`)),
    );
    one.show = () => {
      const now = valuesOf(of);
      one.box.disabled = !mayWrite();
      for (const b of boxes) b.checked = now.includes(b.value);
    };
    return;
  }
  if (of.w) {
    const id = newId(),
      input = el('input', { 'aria-label': one.name, maxLength: of.m || 200, autocomplete: 'off' });
    input.setAttribute('list', id);
    input.addEventListener('change', () => choose(of, [input.value.trim()]));
    one.box = el('span', {}, input, el('datalist', { id }, ...of.o.map((o) => el('option', { value: o }))));
    one.show = () => {
      input.readOnly = !mayWrite();
      if (document.activeElement !== input) input.value = valuesOf(of)[0] ?? '';
    };
    return;
  }
  const select = el(
    'select',
    { 'aria-label': one.name, on: { change: () => choose(of, [select.value]) } },
    el('option', { value: '' }, 'nothing chosen'),
    ...of.o.map((o) => el('option', { value: o }, o)),
  );
  one.box = select;
  one.show = () => {
    select.disabled = !mayWrite();
    select.value = valuesOf(of)[0] ?? '';
  };
}

function writes(one) {
  const { of } = one,
    single = isOneLine(of) || (of.f && of.k !== 'box'),
    input = el(single ? 'input' : 'textarea', {
      className: 'writes',
      'aria-label': one.name,
      data: { at: `${of.page} ${of.r[2]} ${of.r[1]}` },
      autocomplete: 'off',
      dir: 'auto',
      spellcheck: !marks.view.noSpelling,
    });
  if (of.m) input.maxLength = of.m;
  if (single) input.style.setProperty('--wide', `${Math.min(Math.max((of.r[2] - of.r[0]) / 16, 5), 24)}em`);
  const full = el(
    'small',
    { className: 'full', role: 'status', hidden: true },
    'This is longer than the place on the page has room for.',
  );
  let timer = 0,
    merge = '';
  const take = () => {
    clearTimeout(timer);
    if (!timer) return;
    timer = 0;
    full.hidden = setText(of, input.value, merge);
    hold('typing', false);
    grow();
  };
  const grow = () => {
    if (single) return;
    input.style.height = 'auto';
    input.style.height = `${Math.max(input.scrollHeight + 2, 0)}px`;
  };
  const another = () => {
    take();
    merge = `typing-${newId()}`;
  };
  input.addEventListener('focus', another);
  input.addEventListener('another', another); // what comes now is undone by itself
  input.addEventListener('input', () => {
    hold('typing', true);
    timer ||= /** @type {any} */ (setTimeout(take, SOON));
  });
  input.addEventListener('blur', take);
  addEventListener('pagehide', take);
  one.box = el('span', { className: single ? 'one-line' : 'many-lines' }, input, full);
  one.show = () => {
    if (timer) return; // what is being typed there comes first
    const now = textIn(of);
    input.readOnly = !mayWrite();
    if (input.value !== now && input.value.trim() !== now.trim()) input.value = now;
    grow();
  };
}

// ring shows on the page which place has the focus of those who do not see it.
function ring(one, view) {
  const { of } = one;
  one.box.addEventListener('focusin', () => {
    if (view.shown()) return;
    const s = sheetOf(of.page),
      z = pixels();
    if (!s) return;
    one.ring = el('div', { className: 'ring-there' });
    Object.assign(one.ring.style, {
      left: `${of.r[0] * z}px`,
      top: `${of.r[1] * z}px`,
      width: `${(of.r[2] - of.r[0]) * z}px`,
      height: `${(of.r[3] - of.r[1]) * z}px`,
    });
    s.box.append(one.ring);
    one.ring.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  });
  one.box.addEventListener('focusout', () => one.ring?.remove());
}
