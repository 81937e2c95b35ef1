// The bench is where a worksheet is prepared: its pages at the side and large
// on the desk, the places of the work on the rule, and in the margin what
// belongs to the place in hand.

import { el, icon } from '../paint.js';
import { core } from '../core.js';
import { ask } from '../net.js';
import { toast } from '../toast.js';
import { showSaved } from '../saved.js';
import { doc, history, leaf, redo, undecided, undo, url, view } from './doc.js';
import { choose, chosen, draw, spot, surfaces } from './leaves.js';
import { panel as pages } from './pages.js';
import { mode as blanks } from './blanks.js';
import { mode as points } from './points.js';
import { mode as directions } from './directions.js';
import { mode as key } from './key.js';
import { mode as shelf } from './shelf.js';
import { mode as words } from './words.js';

const plain = { begin() {}, leave() {}, paint() {}, down: () => null };
/** @type {Record<string, [string, string, any]>} sign, name, and what belongs to a place */
const PLACES = {
  pages: ['page', 'Pages', { ...plain, panel: pages }],
  blanks: ['blank', 'Blanks', blanks],
  points: ['points', 'Points', points],
  directions: ['note', 'Directions', directions],
  key: ['key', 'Colour key', key],
  shelf: ['picture', 'Pictures', shelf],
  words: ['words', 'In words', words],
};
const margin = document.querySelector('[data-margin]'),
  spine = document.querySelector('[data-spine]'),
  desk = document.querySelector('[data-desk]');
let place = 'pages';
const mode = () => PLACES[place][2];
const panels = {}; // what bench-panels.html shows, by place

function take(name) {
  if (name !== place) mode().leave();
  place = name;
  desk.dataset.place = name;
  for (const b of spine.querySelectorAll('.place')) {
    b.setAttribute('aria-current', String(b.dataset.place === place));
    b.querySelector('.take').setAttribute('aria-pressed', String(b.dataset.place === place));
  }
  mode().begin();
  show();
}

function build() {
  const step = (name, label, run) =>
    el(
      'button',
      { data: { step: name }, title: label, 'aria-label': label, disabled: true, on: { click: run } },
      icon(name),
    );
  spine.replaceChildren(
    el('div', { className: 'steps' }, step('undo', 'Undo', undo), step('redo', 'Redo', redo)),
    ...Object.entries(PLACES).map(([name, [sign, words]]) =>
      el(
        'div',
        { className: 'place', data: { place: name } },
        el('button', { className: 'take', 'aria-label': words, on: { click: () => take(name) } }, icon(sign)),
        el('span', { className: 'name', 'aria-hidden': 'true' }, words),
      ),
    ),
  );
}

// through gives a component what a panel has; the panel itself outlives it.
const through = (panel) =>
  Object.defineProperties(
    {},
    Object.fromEntries(
      Object.keys(panel).map((k) => [
        k,
        {
          enumerable: true,
          configurable: true,
          get: () => panel[k],
          set(v) {
            panel[k] = v;
          },
        },
      ]),
    ),
  );

// show paints what stands on the pages, and tells the place's panel. While
// somebody types in a field the panel stays as it is.
function show(typing) {
  for (const s of surfaces) {
    s.washes.replaceChildren();
    s.over.replaceChildren();
    if (place !== 'directions') directions.paint(s, view.leaves[s.i], s.i);
    mode().paint(s, view.leaves[s.i], s.i);
  }
  if (typing && margin.contains(document.activeElement)) return undefined;
  panels[place].show();
  window.Alpine.store('bench').place = place;
  document.querySelector('[data-assign]').classList.toggle('next', !view.leaves.some(undecided)); // what is proposed comes first
  return window.Alpine.nextTick();
}

let drawn = '';
doc.onChange = (typing) => {
  const now = JSON.stringify(
    view.leaves.map(({ source, page, turn, use, decided, proposal }) => [source, page, turn, use, decided, !!proposal]),
  );
  if (now !== drawn) {
    drawn = now;
    draw();
    mode().begin();
  }
  return show(typing);
};
doc.onHistory = () => {
  const h = history();
  for (const b of spine.querySelectorAll('[data-step]')) b.disabled = !h[b.dataset.step];
};
chosen.onChoose = () => {
  if (place === 'blanks' || place === 'points' || place === 'directions') mode().leave();
  show();
};

// Gestures on the large pages belong to the place in hand.
desk.addEventListener('pointerdown', (e) => {
  const box = e.target.closest('.leaf-large');
  if (!box || e.button > 0 || !e.isPrimary) return;
  const s = surfaces[+box.dataset.at],
    gesture = mode().down(e, s);
  if (!gesture) return;
  e.preventDefault();
  const follow = (f) => (ev) => {
    if (ev.pointerId === e.pointerId) f(ev);
  };
  const live = () => surfaces[s.i] ?? s;
  const move = follow((ev) => gesture.move(spot(ev, live())));
  const up = follow((ev) => {
    stop();
    gesture.up(spot(ev, live()));
  });
  const stop = () => {
    removeEventListener('pointermove', move);
    removeEventListener('pointerup', up);
    removeEventListener('pointercancel', stop);
  };
  addEventListener('pointermove', move);
  addEventListener('pointerup', up);
  addEventListener('pointercancel', stop);
});

document.addEventListener('keydown', (e) => {
  const from = /** @type {Element} */ (e.target);
  if (e.defaultPrevented || from.closest?.('input, textarea, select')) return;
  if (e.ctrlKey || e.metaKey) {
    const run = { z: e.shiftKey ? redo : undo, y: redo }[e.key.toLowerCase()];
    if (run) {
      e.preventDefault();
      run();
    }
  } else if (!from.closest?.('.leaf')) mode().keys?.(e);
});

// The title is kept while it is typed, and at once on leaving.
const title = document.querySelector('[data-title]');
let titling = 0;
async function name(keepalive = false) {
  clearTimeout(titling);
  titling = 0;
  const words = title.value.trim();
  if (!words || words === view.title) {
    if (!words && document.activeElement !== title) title.value = view.title;
    return;
  }
  try {
    await ask(url('/title'), { method: 'POST', form: { title: words }, keepalive });
    view.title = words;
    if (!titling) showSaved('saved', 'Saved');
  } catch (e) {
    showSaved('failed', `Not saved: ${e.message}`);
  }
}
title.addEventListener('input', () => {
  showSaved('saving', 'Saving…');
  titling ||= setTimeout(name, 300);
});
title.addEventListener('change', () => name());
// What the sheet is headed with is offered as the title.
const heading = document.querySelector('[data-heading]');
heading?.addEventListener('click', () => {
  title.value = heading.dataset.heading;
  heading.remove();
  name();
});
window.addEventListener('pagehide', () => {
  if (titling) name(true);
});

view.kit ??= {};
showSaved('saved', 'Saved');
document.addEventListener('alpine:init', () => {
  const { Alpine } = window;
  Alpine.store('bench', { place });
  for (const [name, [, , { panel }]] of Object.entries(PLACES)) {
    panels[name] = Alpine.reactive(panel);
    Alpine.data(name, () => through(panels[name]));
  }
  build();
  doc.at = Math.max(0, view.leaves.findIndex(undecided));
  doc.onChange(false);
  choose(doc.at, doc.at > 0);
  take('pages');
  reading();
  document.querySelector('[data-screen]').dataset.ready = 'yes';
});
core.load().catch((e) => toast(e.message));

// The words of a long file are read while its pages can be seen already.
async function reading() {
  while (view.reading) {
    await new Promise((ok) => {
      setTimeout(ok, 700);
    });
    const now = await ask(url('')).catch(() => null);
    if (!now || now.reading) continue;
    view.reading = false;
    view.remarks = now.remarks;
    for (const l of view.leaves) {
      const read = now.leaves.find((o) => o.source === l.source && o.page === l.page);
      if (read) Object.assign(l, { proposal: read.proposal, w: read.w, h: read.h });
    }
    doc.onChange(false);
  }
}
if (!leaf()) toast('This worksheet has no pages.');
