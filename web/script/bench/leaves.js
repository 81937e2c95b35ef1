// leaves shows the pages: small ones at the side, to choose and to move, and
// large ones on the desk.

import { el, icon, node } from '../paint.js';
import { across, change, doc, numbers, size, undecided, url, view } from './doc.js';

const rail = document.querySelector('[data-leaves]'),
  desk = document.querySelector('[data-desk]');
export const use = { sheet: 'For students', held: 'Held back', dropped: 'Left out' };
export const label = (l, n) =>
  l.use === 'sheet' ? `Page ${n} for students` : `${use[l.use]}, page ${l.page} of ${view.sources[l.source]}`;

// picture shows a page as it is turned, as wide as the box around it.
function picture(l, scale) {
  const ratio = l.w / l.h,
    s = size(l);
  const box = el('div', { className: 'leaf-picture' }),
    img = el('img', {
      src: url(`/sources/${l.source}/pages/${l.page}/${scale}`),
      alt: '',
      draggable: false,
      loading: 'lazy',
    });
  box.style.aspectRatio = String(s.w / s.h);
  img.style.width = across(l) ? `${ratio * 100}%` : '100%';
  img.style.transform = `translate(-50%, -50%) rotate(${l.turn}deg)`;
  box.append(img);
  return box;
}

// surfaces are the large pages' layers to draw on, in page space.
export const surfaces = [];

export function draw() {
  const n = numbers();
  rail.replaceChildren(
    el(
      'ol',
      {},
      ...view.leaves.map((l, i) => {
        const b = el(
          'button',
          {
            className: 'leaf',
            data: { use: l.use, at: i },
            draggable: true,
            'aria-current': String(i === doc.at),
            'aria-label': `${label(l, n[i])}, place ${i + 1} of ${view.leaves.length}`,
            on: {
              click: () => choose(i, true),
              keydown: keys,
              dragstart: (e) => {
                e.dataTransfer.setData('text/plain', String(i));
                e.dataTransfer.effectAllowed = 'move';
              },
            },
          },
          picture(l, 25),
          el('span', { className: 'leaf-name' }, l.use === 'sheet' ? String(n[i]) : use[l.use]),
        );
        if (undecided(l)) b.append(el('span', { className: 'leaf-sign', title: 'Likely answers' }, '?'));
        return el(
          'li',
          {
            data: { at: i },
            on: {
              dragover: (e) => {
                e.preventDefault();
                e.currentTarget.classList.add('under');
              },
              dragleave: (e) => e.currentTarget.classList.remove('under'),
              drop,
            },
          },
          b,
        );
      }),
    ),
  );
  surfaces.length = 0;
  desk.replaceChildren(
    ...view.leaves.map((l, i) => {
      const s = el('section', { className: 'leaf-large', data: { use: l.use, at: i }, 'aria-label': label(l, n[i]) }),
        p = picture(l, 150),
        box = size(l);
      const washes = node('svg', { class: 'leaf-washes', viewBox: `0 0 ${box.w} ${box.h}` }),
        over = node('svg', { class: 'leaf-over', viewBox: `0 0 ${box.w} ${box.h}` });
      p.append(washes, over);
      surfaces.push({ i, washes, over, box: p });
      s.append(p);
      if (l.use !== 'sheet')
        s.append(
          el(
            'p',
            { className: 'leaf-says' },
            icon(l.use === 'held' ? 'held' : 'out'),
            l.use === 'held' ? 'Held back: no student gets this page' : 'Left out: nobody gets this page',
          ),
        );
      s.addEventListener('pointerdown', () => choose(i, false), true);
      return s;
    }),
  );
  choose(doc.at, false);
}

export const chosen = { onChoose: /** @type {(...args: any[]) => any} */ (() => {}) };
export function choose(i, scroll) {
  const before = doc.at;
  doc.at = Math.min(Math.max(i, 0), view.leaves.length - 1);
  for (const b of rail.querySelectorAll('.leaf')) b.setAttribute('aria-current', String(+b.dataset.at === doc.at));
  for (const s of desk.children) s.classList.toggle('chosen', +s.dataset.at === doc.at);
  if (scroll) desk.children[doc.at]?.scrollIntoView({ block: 'start', behavior: 'smooth' });
  if (before !== doc.at || scroll) chosen.onChoose();
}

export function move(from, to) {
  if (to < 0 || to >= view.leaves.length || from === to) return;
  change((leaves) => {
    leaves.splice(to, 0, ...leaves.splice(from, 1));
    doc.at = to;
  });
}

// keys: arrows choose, with Alt they move the page; Delete leaves it out.
function keys(e) {
  const i = +e.currentTarget.dataset.at,
    d = { ArrowUp: -1, ArrowDown: 1 }[e.key];
  if (d) {
    e.preventDefault();
    if (e.altKey) move(i, i + d);
    else choose(i + d, true);
    rail.querySelectorAll('.leaf')[doc.at].focus();
  } else if (e.key === 'Delete') {
    e.preventDefault();
    change((leaves) =>
      Object.assign(leaves[i], { use: leaves[i].use === 'dropped' ? 'sheet' : 'dropped', decided: true }),
    );
    rail.querySelectorAll('.leaf')[i].focus();
  }
}

function drop(e) {
  e.preventDefault();
  e.currentTarget.classList.remove('under');
  const from = +e.dataTransfer.getData('text/plain'),
    to = +e.currentTarget.dataset.at;
  if (Number.isInteger(from)) move(from, to);
}

// spot returns where on a large page an event happened, in page space.
export function spot(e, s) {
  const r = s.box.getBoundingClientRect(),
    box = size(view.leaves[s.i]);
  const round = (v) => Math.round(v * 100) / 100;
  return {
    x: round(((e.clientX - r.left) / r.width) * box.w),
    y: round(((e.clientY - r.top) / r.height) * box.h),
    pixels: r.width / box.w,
  };
}
