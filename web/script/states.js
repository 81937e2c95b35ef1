// states keeps what stands on the copy under a name, to look at later and to
// take marks back from.

import { el, icon } from './paint.js';
import { ask } from './net.js';
import { core } from './core.js';
import { find, layerNow, marks, set, together } from './marks.js';
import { surface } from './surface.js';
import { seen } from './seen.js';
import * as queue from './queue.js';
import { toast } from './toast.js';
import { dated } from './dated.js';

const at = (t) => dated(t, marks.view.zone, 'short');
const EDGES = 44; // CSS pixels beside what is in the panel
const where = () => `/copies/${marks.view.copy}/states`;

// section has what was kept, and keeps more; look shows a state in its place, and
// called names a mark.
export function section(look, called) {
  const { view } = marks;
  if (!view.copy || !view.edit || view.way === 'shared') return null;
  const name = el('input', {
      className: 'field',
      maxLength: 60,
      placeholder: 'before tidying up',
      'aria-label': 'Its name',
    }),
    list = el('div', {}),
    show = (all) =>
      list.replaceChildren(
        ...all.map((s) =>
          el(
            'button',
            { className: 'line', on: { click: () => look((body, back) => state(s, body, back, called)) } },
            el('b', {}, s.name),
            el('span', {}, at(s.at)),
          ),
        ),
      ),
    load = () =>
      ask(`${where()}?layer=${layerNow()}`)
        .then(show)
        .catch(() => list.replaceChildren(el('p', { className: 'hint' }, 'What was kept shows with a connection.'))),
    keep = async (e) => {
      e.preventDefault();
      try {
        await queue.drained();
        await ask(where(), { method: 'POST', form: { layer: layerNow(), name: name.value } });
        name.value = '';
        await load();
      } catch (x) {
        toast(x.message);
      }
    };
  load();
  return el(
    'details',
    { className: 'states' },
    el('summary', {}, 'Keep this as it stands'),
    el(
      'form',
      { className: 'row', on: { submit: keep } },
      name,
      el('button', { className: 'button' }, icon('check'), 'Keep'),
    ),
    list,
  );
}

// differs reports whether a mark of the state is not on the copy as it was.
function differs(m) {
  const now = find(m.id);
  return (
    !now ||
    now.mark.page !== m.page ||
    JSON.stringify(core.shapes(now.mark)) !== JSON.stringify(core.shapes(m)) ||
    now.mark.body.text !== m.body.text
  );
}

// state shows a state, and what of it is not on the copy any more.
async function state(s, body, back, called) {
  const top = [
    el('button', { className: 'button quiet', on: { click: back } }, icon('left'), 'Everything on this copy'),
    el('h3', {}, s.name),
    el('p', { className: 'hint' }, `As it stood ${at(s.at)}`),
  ];
  let all;
  try {
    all = await ask(`${where()}/${s.number}?layer=${layerNow()}`);
  } catch (e) {
    body.replaceChildren(...top, el('p', { className: 'hint' }, e.message));
    return;
  }
  const show = () => {
    const gone = all.filter(differs),
      take = (ones) => {
        together(() => {
          for (const m of ones) set(m.id, m, { layer: layerNow() });
        });
        show();
      };
    body.replaceChildren(
      ...top,
      el(
        'p',
        { className: 'hint' },
        gone.length
          ? `${gone.length} ${gone.length === 1 ? 'mark is' : 'marks are'} changed since.`
          : 'All of this still stands on the copy.',
      ),
      gone.length
        ? el('button', { className: 'button', on: { click: () => take(gone) } }, icon('undo'), 'Bring all of it back')
        : '',
      ...surface.sheets
        .map((sheet) => [sheet, all.filter((m) => m.page === sheet.number)])
        .filter(([, ones]) => ones.length)
        .map(([sheet, ones]) =>
          el(
            'div',
            { className: 'state-page' },
            seen(
              sheet,
              body.clientWidth - EDGES,
              ones.map((m) => ({ mark: m, layer: layerNow(), shapes: core.shapes(m) })),
            ),
            ...ones
              .filter((m) => gone.includes(m))
              .map((m) =>
                el(
                  'button',
                  { className: 'line', on: { click: () => take([m]) } },
                  icon('undo'),
                  el('span', {}, `Bring back ${called(m)}`),
                ),
              ),
          ),
        ),
    );
  };
  show();
}
