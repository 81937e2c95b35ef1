// surface lays the pages out in one scroll, loads pictures and words as they
// come near, and zooms so that the point under the pointer stays put.

import { core } from './core.js';
import { el, layer, node } from './paint.js';

const desk = document.querySelector('[data-desk]');
const stack = el('div', { className: 'stack' });
const PX = 96 / 72; // CSS pixels in a point at 100 %
const SENT = 150; // the scale of the picture that the server sends along
const SCALES = [25, 100, 150, 200, 300, 400]; // hundredths of a pixel a point, as the server has them

export const surface = {
  desk,
  sheets: [],
  zoom: 1,
  sheet: 0,
  light: false,
  reread: 0, // how often words came behind, which are fetched anew then
  onMove: /** @type {(...args: any[]) => any} */ (() => {}),
  onPage: /** @type {(...args: any[]) => any} */ (() => {}),
};

export function lay(view) {
  surface.sheet = view.sheet;
  surface.light = !!view.light;
  surface.reread = view.reread ?? 0;
  const sent = desk.querySelector('.first img'); // the first page, which the server sent with the screen
  desk.replaceChildren(stack);
  stack.replaceChildren();
  stack.classList.toggle('pair', view.pages.length > 1);
  surface.sheets = view.pages.map((size, i) => sheet(i + 1, size, i === 0 && sent));
  for (const s of surface.sheets) stack.append(s.box);
}

// sheet makes a page to be laid out; sent is its picture, if the server sent it.
function sheet(number, size, sent) {
  const s = {
    number,
    ...size,
    box: el('section', { className: 'sheet', role: 'region', 'aria-label': `Page ${number}`, data: { page: number } }),
  };
  s.img = sent || el('img', { decoding: 'async' });
  Object.assign(s.img, { alt: '', draggable: false });
  if (sent) s.scale = SENT;
  s.washes = layer('washes', size);
  s.print = layer('print', size);
  s.print.setAttribute('aria-hidden', 'true'); // the sheet in words says it
  s.marks = layer('marks', size);
  s.over = layer('over', size);
  s.box.append(s.img, s.washes, s.print, s.marks, s.over);
  stretch(s);
  near.observe(s.box);
  return s;
}

// sheetOf gives a page by its number.
export const sheetOf = (number) => surface.sheets.find((s) => s.number === number);

// put lays a page that was added behind the others, in the order of the
// numbers; takeOut takes it away again.
export function put(number, size) {
  const s = sheet(number, { ...size, added: true }),
    i = surface.sheets.findIndex((x) => x.number > number);
  surface.sheets.splice(i < 0 ? surface.sheets.length : i, 0, s);
  if (i < 0) surface.sheets.at(-2).box.after(s.box);
  else surface.sheets[i + 1].box.before(s.box);
  stack.classList.toggle('pair', surface.sheets.length > 1);
  return s;
}
export function takeOut(s) {
  near.unobserve(s.box);
  s.box.remove();
  surface.sheets = surface.sheets.filter((x) => x !== s);
}

// end puts something behind the last page.
export const end = (box) => stack.append(box);

// Pictures and words are fetched when a page comes within a screen of view.
const near = new IntersectionObserver(
  (seen) => {
    for (const e of seen) {
      const s = sheetOf(Number(/** @type {HTMLElement} */ (e.target).dataset.page));
      if (!s) continue;
      s.near = e.isIntersecting;
      if (s.near) {
        picture(s);
        words(s);
      }
    }
  },
  { root: desk, rootMargin: '100% 0px' },
);

// seen resolves when the first picture is there, or after a while without it.
surface.seen = () =>
  new Promise((ok) => {
    setTimeout(ok, 1500);
    const img = surface.sheets[0]?.img;
    if (!img || (img.complete && img.naturalWidth)) ok();
    else img.addEventListener('load', ok, { once: true });
  });

// pictureAt is where a page's picture is, at so many hundredths of a pixel per point.
export const pictureAt = (number, scale) =>
  `/sheets/${surface.sheet}/pages/${number}/${scale}${surface.light ? '?light=1' : ''}`;

function picture(s) {
  if (s.added) return; // it has none: its ruling is a mark
  const need = surface.zoom * PX * Math.min(window.devicePixelRatio || 1, 3) * 100;
  const scale = SCALES.find((v) => v >= need * 0.92) ?? SCALES.at(-1);
  if (s.scale >= scale) return;
  s.scale = scale;
  const url = pictureAt(s.number, scale);
  if (!s.img.src) {
    s.img.src = url;
    return;
  }
  const finer = new Image(); // the coarser picture stays until the finer one is there
  finer.onload = () => {
    if (s.scale === scale) s.img.src = url;
  };
  finer.src = url;
}

// printAt returns where the words of a page are.
export const printAt = (number) =>
  `/sheets/${surface.sheet}/print/${number}${surface.reread ? `?reread=${surface.reread}` : ''}`;

export async function words(s) {
  if (s.added) return null; // nothing is printed on it
  s.fetched ??= (async () => {
    const res = await fetch(printAt(s.number));
    if (!res.ok) {
      s.fetched = null;
      return;
    }
    const text = await res.text();
    setWords(s, JSON.parse(text));
    await core.loaded;
    core.setPrint(s.number, text);
  })().catch(() => {
    s.fetched = null;
  });
  return s.fetched;
}

// setWords lays the printed words over the page as transparent text, for
// selecting, copying and reading aloud; one text element a line.
function setWords(s, print) {
  s.wordless = !print.words?.length;
  s.printed = print.words ?? [];
  let line = null,
    number = -1;
  for (const w of print.words ?? []) {
    const [left, top, right, bottom] = w.b;
    if (w.l !== number) {
      line = node('text', { 'font-size': ((bottom - top) * 0.82).toFixed(2) });
      s.print.append(line);
      number = w.l;
    }
    const piece = node('tspan', {
      x: left,
      y: w.y,
      textLength: Math.max(right - left, 0.1).toFixed(2),
      lengthAdjust: 'spacingAndGlyphs',
    });
    piece.textContent = w.t;
    line.append(piece, ' ');
  }
}

// at returns where in page space an event happened, and on which sheet. frame
// is the sheet's place on the screen where it is known: asking the browser for
// it in every event of a moving pen would cost a layout each time.
export function at(e, sheet, frame) {
  const box = sheet?.box ?? e.target.closest?.('.sheet');
  if (!box) return null;
  const s = sheet ?? sheetOf(+box.dataset.page);
  const r = frame ?? s.box.getBoundingClientRect();
  return { sheet: s, x: (e.clientX - r.left) / (surface.zoom * PX), y: (e.clientY - r.top) / (surface.zoom * PX) };
}

export const pixels = () => surface.zoom * PX;

// round gives a number on the grid of a hundredth of a point, on which marks stand.
export const round = (v) => Math.round(v * 100) / 100;

// atSteps gives the place on a way from a that runs at a step of 15 degrees and
// is as long as that to p.
export function atSteps(a, p) {
  const step = Math.PI / 12,
    angle = Math.round(Math.atan2(p.y - a.y, p.x - a.x) / step) * step,
    long = Math.hypot(p.x - a.x, p.y - a.y);
  return { ...p, x: a.x + long * Math.cos(angle), y: a.y + long * Math.sin(angle) };
}

// anchor gives what of a page is under a place of the window, as it is seen now.
function anchor(x, y) {
  const sheet = nearest(y);
  if (!sheet) return null;
  const r = sheet.box.getBoundingClientRect();
  return { sheet, u: (x - r.left) / r.width, v: (y - r.top) / r.height };
}

// setZoom sets the zoom, keeping what is under (x, y) of the window there.
export function setZoom(zoom, x, y) {
  settle();
  const frame = desk.getBoundingClientRect();
  x ??= frame.left + frame.width / 2;
  y ??= frame.top + frame.height / 3;
  zoomTo(zoom, anchor(x, y), x, y);
}

const within = (zoom) => Math.min(Math.max(zoom, 0.2), 5);

function zoomTo(zoom, under, x, y) {
  surface.zoom = within(zoom);
  surface.fit = null;
  desk.classList.add('zooming'); // marks are painted anew, not stretched
  surface.sheets.forEach(stretch);
  if (under) {
    const r = under.sheet.box.getBoundingClientRect();
    desk.scrollLeft += r.left + under.u * r.width - x;
    desk.scrollTop += r.top + under.v * r.height - y;
  }
  requestAnimationFrame(() => requestAnimationFrame(() => desk.classList.remove('zooming')));
  for (const s of surface.sheets) if (s.near) picture(s);
  sayZoom(surface.zoom);
  surface.onMove();
}

const sayZoom = (zoom) => {
  document.querySelector('[data-zoom-at]').value = `${Math.round(zoom * 100)} %`;
};

// While a zoom goes on, by wheel or by two fingers, what is painted is only
// stretched and moved, which costs no painting; a moment after its last step
// the pages are laid out and painted anew.
let going = null; // {left, top: of the stack when it began, k, tx, ty, x, y, timer}
const REST = 140; // milliseconds without a step

export function zoomBy(factor, x, y, dx = 0, dy = 0) {
  if (!going) {
    const r = stack.getBoundingClientRect();
    going = { left: r.left, top: r.top, k: 1, tx: 0, ty: 0 };
    stack.classList.add('going');
  }
  const k = within(surface.zoom * going.k * factor) / surface.zoom;
  going.tx = x + dx - going.left - ((x - going.left - going.tx) * k) / going.k;
  going.ty = y + dy - going.top - ((y - going.top - going.ty) * k) / going.k;
  Object.assign(going, { k, x: x + dx, y: y + dy });
  stack.style.transform = `translate(${going.tx}px, ${going.ty}px) scale(${k})`;
  sayZoom(surface.zoom * k);
  clearTimeout(going.timer);
  going.timer = setTimeout(settle, REST);
}

// settle ends a zoom that goes on.
function settle() {
  if (!going) return;
  const { k, x, y, timer } = going,
    under = anchor(x, y);
  clearTimeout(timer);
  going = null;
  stack.classList.remove('going');
  stack.style.transform = '';
  zoomTo(surface.zoom * k, under, x, y);
}
desk.addEventListener('pointerdown', settle, true);

function stretch(s) {
  s.box.style.width = `${s.w * pixels()}px`;
  s.box.style.height = `${s.h * pixels()}px`;
}

function nearest(y) {
  return surface.sheets.find((s) => s.box.getBoundingClientRect().bottom > y) ?? surface.sheets.at(-1);
}

export function fit(how) {
  const s = current();
  if (!s) return;
  const side = window.innerWidth <= 640 ? 0 : 2 * 22;
  const across = window.innerWidth >= 1700 && surface.sheets.length > 1 ? 2 : 1; // two pages side by side on a wide screen
  const width = (desk.clientWidth - side - 22 * (across - 1)) / (across * s.w * PX);
  setZoom(
    how === 'page' ? Math.min(width, (desk.clientHeight - 30) / (s.h * PX)) : width,
    undefined,
    desk.getBoundingClientRect().top + 1,
  );
  surface.fit = how;
}

export function current() {
  const middle = desk.getBoundingClientRect().top + desk.clientHeight * 0.4;
  return nearest(middle);
}

export function goTo(number, y = 0) {
  const s = sheetOf(number);
  if (!s) return;
  const r = s.box.getBoundingClientRect(),
    d = desk.getBoundingClientRect();
  desk.scrollTop += r.top - d.top + y * pixels() - (y ? desk.clientHeight * 0.35 : 18);
}

// middle gives what of which page stands in the middle of the window, and how large.
export function middle() {
  const frame = desk.getBoundingClientRect(),
    x = frame.left + desk.clientWidth / 2,
    y = frame.top + desk.clientHeight / 2,
    s = nearest(y);
  if (!s) return null;
  const r = s.box.getBoundingClientRect();
  return { n: s.number, x: round((x - r.left) / pixels()), y: round((y - r.top) / pixels()), z: round(surface.zoom) };
}

// centre brings a place of a page to the middle of the window, at a zoom.
export function centre({ n, x, y, z }) {
  const s = sheetOf(n);
  if (!s) return;
  if (Math.abs(z - surface.zoom) > 0.005) setZoom(z);
  const frame = desk.getBoundingClientRect(),
    r = s.box.getBoundingClientRect();
  desk.scrollLeft += r.left + x * pixels() - frame.left - desk.clientWidth / 2;
  desk.scrollTop += r.top + y * pixels() - frame.top - desk.clientHeight / 2;
}

let shown = null;
function moved() {
  const s = current();
  if (s && s !== shown) {
    shown = s;
    surface.onPage(s);
  }
  surface.onMove();
}
desk.addEventListener('scroll', () => requestAnimationFrame(moved), { passive: true });
window.addEventListener('resize', () => (surface.fit ? fit(surface.fit) : surface.onMove()));

desk.addEventListener(
  'wheel',
  (e) => {
    if (!e.ctrlKey && !e.metaKey) return;
    e.preventDefault();
    zoomBy(Math.exp(-e.deltaY * (e.deltaMode ? 0.05 : 0.0025)), e.clientX, e.clientY);
  },
  { passive: false },
);

// Two fingers move and zoom at once; whatever one finger had begun is dropped.
let pinch = null;
desk.addEventListener(
  'touchmove',
  (e) => {
    if (e.touches.length !== 2) {
      pinch = null;
      return;
    }
    e.preventDefault();
    const [a, b] = e.touches;
    const now = {
      d: Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY),
      x: (a.clientX + b.clientX) / 2,
      y: (a.clientY + b.clientY) / 2,
    };
    if (pinch) zoomBy(now.d / pinch.d, pinch.x, pinch.y, now.x - pinch.x, now.y - pinch.y);
    else desk.dispatchEvent(new CustomEvent('second-finger'));
    pinch = now;
  },
  { passive: false },
);
desk.addEventListener('touchend', () => {
  pinch = null;
});

for (const b of document.querySelectorAll('[data-zoom]')) {
  b.addEventListener('click', () => {
    const how = b.dataset.zoom;
    if (how === 'in' || how === 'out') setZoom(surface.zoom * (how === 'in' ? 1.2 : 1 / 1.2));
    else fit(how);
  });
}
document.querySelector('[data-zoom-at]').addEventListener('change', (e) => {
  const v = parseFloat(e.target.value.replace(',', '.'));
  if (v > 0) setZoom(v / 100);
  else e.target.value = `${Math.round(surface.zoom * 100)} %`;
});
