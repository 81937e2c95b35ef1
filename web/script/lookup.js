// lookup shows what a word of the sheet means: at the rule, where what can be done with
// chosen words stands.

import { ask } from './net.js';
import { el, icon } from './paint.js';
import { marks } from './marks.js';
import { lay, level } from './spine.js';
import { readText } from './aloud.js';

// lookUp looks a word up, level with a place of the window.
export async function lookUp(word, top) {
  const plain = word.trim().split(/\s+/).slice(0, 3).join(' '),
    field = el('input', {
      className: 'field',
      value: plain.replace(/[.,:;!?()“”"]/g, ''),
      'aria-label': 'Word to look up',
      autocomplete: 'off',
    }),
    says = el('div', { className: 'meanings', role: 'status' }, 'Looking it up…'),
    form = el(
      'form',
      { className: 'look-up', on: { submit: (e) => (e.preventDefault(), look()) } },
      field,
      el('button', { className: 'button', 'aria-label': 'Look it up' }, icon('look-up')),
    );
  // earlier shows what was looked up on this sheet before, to be looked at again.
  const earlier = (before) =>
    before.length
      ? [
          el(
            'p',
            { className: 'earlier' },
            el('span', { className: 'hint' }, 'You looked up '),
            ...before.map((w) =>
              el(
                'button',
                {
                  className: 'kind',
                  on: {
                    click: () => {
                      field.value = w;
                      look();
                    },
                  },
                },
                w,
              ),
            ),
          ),
        ]
      : [];
  const look = async () => {
    const of = field.value;
    try {
      const { entries, before } = await ask(`/copies/${marks.view.copy}/look-up?word=${encodeURIComponent(of)}`);
      if (field.value === of) says.replaceChildren(...entries.map(entry), ...earlier(before));
    } catch (e) {
      says.replaceChildren(el('p', {}, e.message));
    }
    level(top); // it is higher now
  };
  lay('Look up', [form, says], top);
  await look();
}

const FROM = { sheet: 'On this worksheet', course: 'In this course' };

function entry({ word, senses, from, picture }) {
  return el(
    'section',
    {},
    from ? el('p', { className: 'hint' }, FROM[from]) : null,
    el(
      'h3',
      {},
      word,
      el(
        'button',
        { className: 'button quiet', 'aria-label': `Listen to ${word}`, on: { click: () => readText(word) } },
        icon('listen'),
      ),
    ),
    picture ? el('img', { src: `/sheets/${marks.view.sheet}/extras/${picture}`, alt: '' }) : null,
    el(
      'ol',
      { className: from ? 'by-teacher' : '' },
      ...(senses ?? []).map((s) =>
        el('li', {}, s.part ? el('i', {}, s.part) : null, ` ${s.says}`, s.example ? el('q', {}, s.example) : null),
      ),
    ),
  );
}
