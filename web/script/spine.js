// spine builds the places on the coral rule and their flaps. Pressing a place
// takes its instrument; pressing it again, or its colour, opens the flap.

import { el, icon } from './paint.js';
import { hand, take } from './pointer.js';
import { history, marks, mayChange, redo, undo } from './marks.js';
import { INKS, keep, mean, meaning, meanings, pen, settings, WASHES } from './settings.js';
import { picked, recolour, remove, takeBeside } from './pick.js';
import { restyle } from './type.js';

const spine = document.querySelector('[data-spine]'), flap = document.querySelector('[data-flap]');

export const NAMES = { pick: 'Pick', type: 'Type', highlighter: 'Highlighter', underline: 'Underline', crossout: 'Cross out', shape: 'Shapes', pen: 'Pen', stamp: 'Stamp', note: 'Note', voice: 'Voice note', eraser: 'Eraser', picture: 'Picture' };
const ALL = [
  ['pick', ['pick']], ['write', ['type']], ['mark', ['highlighter', 'underline', 'crossout']], ['draw', ['pen', 'shape', 'stamp', 'picture']], ['say', ['note', 'voice']], ['mend', ['eraser']],
];
let places = [];

// offers says whether the assignment offers an instrument; it may leave some out.
const LEAVABLE = ['type', 'highlighter', 'underline', 'crossout', 'pen', 'shape', 'picture'];
const offers = (view, name) => !view.instruments?.length || !LEAVABLE.includes(name) || view.instruments.includes(name);

export function build(view) {
  const offered = view.teacher ? ALL.map(([p, i]) => [p, i.filter((n) => n !== 'picture')]) : ALL.filter(([p]) => p !== 'say').map(([p, i]) => [p, i.filter((n) => n !== 'stamp' && (n !== 'picture' || view.shelf?.length) && offers(view, n))]).filter(([, i]) => i.length);
  places = view.edit ? offered : [['pick', ['pick']]];
  spine.replaceChildren();
  if (view.edit) {
    const step = (name, label, run) => el('button', { data: { step: name }, title: label, 'aria-label': label, on: { click: run } }, icon(name));
    spine.append(el('div', { className: 'steps' }, step('undo', 'Undo', undo), step('redo', 'Redo', redo)));
  }
  for (const [place, names] of places) {
    const box = el('div', { className: 'place', data: { place } });
    const dot = el('button', { className: 'dot', tabIndex: -1, on: { click: () => open(place) } }, el('i'));
    box.append(el('button', { className: 'take', on: { click: () => press(place) } }), el('span', { className: 'name', 'aria-hidden': 'true' }), dot);
    spine.append(box);
    if (!names.includes(settings.place[place])) settings.place[place] = names[0];
  }
  const wanted = places.flatMap(([, i]) => i).includes(settings.hand) ? settings.hand : places.at(0)[1][0];
  take(wanted);
  steps();
}

export function press(place) {
  const name = settings.place[place];
  if (hand.name === name && flap.hidden) open(place);
  else { close(); take(name); }
}

// next goes to the next instrument of the place, as its digit pressed again does.
export function pressDigit(n) {
  const entry = places[n - 1];
  if (!entry) return;
  const [place, names] = entry;
  if (names.includes(hand.name)) settings.place[place] = names[(names.indexOf(hand.name) + 1) % names.length];
  close();
  take(settings.place[place]);
}

hand.onChange = () => { draw(); keep(); };

function draw() {
  for (const box of spine.querySelectorAll('.place')) {
    const place = box.dataset.place, name = settings.place[place];
    box.setAttribute('aria-current', String(name === hand.name));
    const b = box.querySelector('.take');
    b.replaceChildren(icon(name));
    b.setAttribute('aria-label', NAMES[name]);
    b.setAttribute('aria-pressed', String(name === hand.name));
    box.querySelector('.name').textContent = NAMES[name];
    const color = colorOf(name), dot = box.querySelector('.dot');
    dot.hidden = !color;
    dot.setAttribute('aria-label', `${NAMES[name]}: settings`);
    dot.querySelector('i').style.background = color ?? '';
  }
}

const colorOf = (name) => ({ type: settings.type.color, highlighter: settings.highlighter.color, underline: settings.underline.color, crossout: settings.crossout.color, shape: settings.shape.color, pen: pen().color, stamp: settings.stamp.color }[name]);

export function steps() {
  const h = history();
  for (const b of spine.querySelectorAll('[data-step]')) b.disabled = !h[b.dataset.step];
}
marks.onHistory = steps;

export function close() { if (flap.hidden) return; flap.hidden = true; flap.dispatchEvent(new CustomEvent('moved', { bubbles: true })); }

function open(place) {
  const name = settings.place[place];
  if (hand.name !== name) take(name);
  fill(place);
  flap.hidden = flap.childElementCount === 0;
  flap.dispatchEvent(new CustomEvent('moved', { bubbles: true }));
}

picked.onChange = () => { if (hand.name !== 'pick') return; if (picked.entry) open('pick'); else close(); };

const row = (...c) => el('div', { className: 'row' }, ...c);
function swatches(colors, now, choose) {
  return row(...Object.entries(colors).map(([name, value]) => {
    const b = el('button', { className: 'swatch', title: name, 'aria-label': name, 'aria-pressed': String(value === now), on: { click: () => choose(value) } });
    b.style.background = value;
    return b;
  }));
}
function dyed(color) {
  const i = el('i', { className: 'dyed' });
  i.style.background = color;
  return i;
}
function stepper(label, value, set, step, least, most) {
  const change = (d) => set(Math.min(Math.max(Math.round((value + d) * 100) / 100, least), most));
  return row(el('span', { className: 'hint' }, label), el('span', { className: 'step' },
    el('button', { 'aria-label': `${label} smaller`, on: { click: () => change(-step) } }, icon('minus')), el('output', {}, String(value)),
    el('button', { 'aria-label': `${label} larger`, on: { click: () => change(step) } }, icon('plus'))));
}

function fill(place) {
  flap.replaceChildren();
  const names = places.find(([p]) => p === place)[1], name = settings.place[place];
  const set = (f) => () => { f(); keep(); draw(); fill(place); };
  if (names.length > 1) {
    flap.append(row(...names.map((n) => el('button', { className: 'kind', 'aria-pressed': String(n === name), on: { click: set(() => { settings.place[place] = n; take(n); }) } }, icon(n), NAMES[n]))));
  }
  // meant offers the meanings of the colour key first, and then plain colours.
  const meant = (of, colors) => {
    const ones = meanings(of), now = meaning(of);
    if (ones.length) flap.append(row(...ones.map((m) => el('button', { className: 'kind', 'aria-pressed': String(m === now), on: { click: set(() => mean(of, m)) } }, dyed(m.color), `${m.name} (${m.sign})`))));
    flap.append(swatches(colors, now ? '' : settings[of].color, (v) => set(() => Object.assign(settings[of], { color: v, meaning: '' }))()));
  };
  const to = (object, key, after) => (v) => set(() => { object[key] = v; after?.(); })();
  if (name === 'type') {
    flap.append(swatches(INKS, settings.type.color, to(settings.type, 'color', restyle)), stepper('Size', settings.type.size, to(settings.type, 'size', restyle), 1, 6, 96));
  } else if (name === 'highlighter') {
    meant('highlighter', WASHES);
    flap.append(row(
      el('button', { className: 'kind', 'aria-pressed': String(!settings.highlighter.letters), on: { click: set(() => { settings.highlighter.letters = false; }) } }, 'Words'),
      el('button', { className: 'kind', 'aria-pressed': String(settings.highlighter.letters), on: { click: set(() => { settings.highlighter.letters = true; }) } }, 'Letters')));
  } else if (name === 'underline') {
    meant('underline', INKS);
  } else if (name === 'crossout') {
    flap.append(swatches(INKS, settings.crossout.color, to(settings.crossout, 'color')));
  } else if (name === 'shape') {
    const o = settings.shape;
    flap.append(row(...Object.entries({ circle: 'Ellipse', square: 'Box', line: 'Line', arrow: 'Arrow' }).map(([k, words]) => el('button', { className: 'kind', 'aria-pressed': String(o.kind === k), on: { click: set(() => { o.kind = k; }) } }, icon(`shape-${k}`), words))));
    if (o.kind === 'circle' || o.kind === 'square') meant('shape', INKS); else flap.append(swatches(INKS, o.color, to(o, 'color')));
    flap.append(stepper('Width', o.width, to(o, 'width'), o.width < 2 ? 0.5 : 1, 0.5, 20));
  } else if (name === 'pen') {
    const p = pen();
    flap.append(row(...settings.pens.map((q, i) => {
      const b = el('button', { className: 'ready', 'aria-label': `Pen ${i + 1}, ${q.width} points`, 'aria-pressed': String(i === settings.pen), on: { click: set(() => { settings.pen = i; }) } }, el('i'));
      Object.assign(b.firstChild.style, { width: '1.9rem', height: `${Math.max(q.width * 1.4, 1.5)}px`, borderRadius: '4px', background: q.color, opacity: q.opacity });
      return b;
    })), swatches(INKS, p.color, to(p, 'color')), stepper('Width', p.width, to(p, 'width'), p.width < 2 ? 0.5 : 1, 0.5, 40));
    const strength = el('input', { type: 'range', min: 10, max: 100, step: 5, value: Math.round(p.opacity * 100), 'aria-label': 'Strength' });
    strength.addEventListener('change', () => to(p, 'opacity')(strength.value / 100));
    flap.append(row(el('span', { className: 'hint' }, 'Strength'), strength));
  } else if (name === 'stamp') {
    flap.append(row(...['tick', 'cross'].map((n) => el('button', { className: 'kind', 'aria-pressed': String(settings.stamp.name === n), on: { click: set(() => { settings.stamp.name = n; }) } }, icon(n === 'tick' ? 'check' : 'cross'), n === 'tick' ? 'Tick' : 'Cross'))),
      swatches(INKS, settings.stamp.color, to(settings.stamp, 'color')));
  } else if (name === 'picture') {
    const shelf = marks.view.shelf, now = shelf.find((p) => p.hash === settings.picture) ?? shelf[0];
    flap.append(el('p', { className: 'hint mb-2' }, 'Choose one, then press the page.'), row(...shelf.map((p) => el('button', { className: 'of-shelf', title: p.name, 'aria-label': p.name, 'aria-pressed': String(p === now), on: { click: set(() => { settings.picture = p.hash; }) } }, el('img', { src: `/sheets/${marks.view.sheet}/extras/${p.hash}`, alt: '' })))));
  } else if (name === 'pick' && picked.entry) {
    const m = picked.entry.mark;
    const now = m.body.color ?? m.body.lines?.[0]?.runs[0]?.color;
    if (picked.entry.beside) {
      flap.append(el('p', { className: 'hint' }, 'This was made on another device at the same time.'),
        row(el('button', { className: 'button', on: { click: takeBeside } }, 'Take this one'), el('button', { className: 'button', on: { click: remove } }, 'Drop it')));
      return;
    }
    if (m.kind !== 'picture' && mayChange(picked.entry)) flap.append(swatches(m.kind === 'highlight' ? WASHES : INKS, now, (c) => { recolour(c); fill(place); }));
    if (marks.view.way === 'shared') flap.append(el('p', { className: 'hint' }, picked.entry.mine ? 'You made this.' : `${picked.entry.by} made this.`));
    if (mayChange(picked.entry)) flap.append(row(el('button', { className: 'button', on: { click: remove } }, icon('bin'), 'Delete')));
  }
}

document.querySelector('[data-desk]').addEventListener('pointerdown', () => { if (hand.name !== 'pick') close(); }, true);
