// practice shows, in the margin's head of the practice sheet, what is to be
// tried and what is done already.

import { core } from './core.js';
import { el, icon } from './paint.js';
import { goTo } from './surface.js';
import { marks } from './marks.js';

const top = document.querySelector('[data-top]');

export function show() {
  const { steps } = marks.view ?? {};
  if (!steps) return;
  const done = core.practised(),
    n = done.filter(Boolean).length,
    next = done.indexOf(false);
  top.replaceChildren(
    el(
      'strong',
      {},
      !done.length
        ? 'Twelve things to try'
        : n === steps.length
          ? 'You have tried everything'
          : `${n} of ${steps.length} tried`,
    ),
    n === steps.length
      ? el('p', { className: 'hint' }, 'Well done. Your sheets are waiting.')
      : el(
          'p',
          { className: 'hint' },
          'Press a place on the rule: it opens with its instruments and how they are set.',
        ),
    el(
      'ol',
      { className: 'steps-to-try' },
      ...steps.map((s, i) =>
        el(
          'li',
          { className: done[i] ? 'done' : i === next ? 'next' : '' },
          el(
            'button',
            { on: { click: () => goTo(1, s.rect[1]) } },
            done[i] ? icon('check') : el('b', {}, String(i + 1)),
            el('span', {}, el('strong', {}, s.instrument), ` ${s.task}`),
            done[i] ? el('span', { className: 'sr-only' }, ', done') : null,
          ),
        ),
      ),
    ),
  );
}
