// paint puts the core's shapes on a page's layers: washes beneath, multiplied
// with the print; everything else above.

const SVG = 'http://www.w3.org/2000/svg';

export function node(name, attributes = {}) {
  const n = document.createElementNS(SVG, name);
  for (const [k, v] of Object.entries(attributes)) if (v !== undefined && v !== '') n.setAttribute(k, v);
  return n;
}

export function layer(name, size) {
  const s = node('svg', { class: name, viewBox: `0 0 ${size.w} ${size.h}`, preserveAspectRatio: 'none' });
  return s;
}

// needs brings the fonts of scripts beside Latin, Greek and Cyrillic, once a text has
// letters of them.
let brought = false;
export function needs(text) {
  if (brought || !/[\u02d7-\u036f\u0590-\u1cff\u2e80-\uabff\uac00-\uffdc\u{1f000}-\u{323af}]/u.test(text)) return;
  brought = true;
  const app = document.querySelector('link[rel="stylesheet"]');
  document.head.append(
    Object.assign(document.createElement('link'), {
      rel: 'stylesheet',
      href: app.href.replace(/app\.css.*/, 'scripts.css'),
    }),
  );
}

for (const kind of ['beforeinput', 'compositionupdate'])
  document.addEventListener(kind, (/** @type {any} */ e) => e.data && needs(e.data), true);

function textNode(t) {
  const n = node('text', {
    x: t.x,
    y: t.y,
    transform: t.turn ? `rotate(${t.turn} ${t.x} ${t.y})` : undefined,
    'xml:space': 'preserve',
  });
  let rise = 0,
    x = t.x;
  for (const run of t.runs) {
    const piece = node('tspan', {
      'font-size': run.size,
      fill: run.color,
      class: run.font,
      lang: run.lang,
      'font-weight': run.bold ? 700 : undefined,
      'font-style': run.italic ? 'italic' : undefined,
    });
    if ((run.rise ?? 0) !== rise) {
      piece.setAttribute('dy', (rise - (run.rise ?? 0)).toFixed(2));
      rise = run.rise ?? 0;
    }
    if (x !== t.x) piece.setAttribute('x', x.toFixed(2));
    x = run.advance ? x + run.advance : t.x;
    piece.textContent = run.text;
    needs(run.text);
    n.append(piece);
  }
  return n;
}

function imageNode({ rect: [x, y, r, b], turn, hash, name }) {
  const n = node('image', {
    x,
    y,
    width: r - x,
    height: b - y,
    href: paint.picture(hash),
    transform: turn ? `rotate(${turn} ${(x + r) / 2} ${(y + b) / 2})` : undefined,
    preserveAspectRatio: 'none',
  });
  n.append(node('title'));
  n.firstChild.textContent = name;
  return n;
}

let masks = 0;

// rubbed hides what a rubber went over: a mask is white where the shape shows.
function rubbed(shape, ways) {
  const id = `rubbed-${masks++}`,
    mask = node('mask', { id, maskUnits: 'userSpaceOnUse', x: -20000, y: -20000, width: 40000, height: 40000 });
  mask.append(node('rect', { x: -20000, y: -20000, width: 40000, height: 40000, fill: '#fff' }));
  for (const w of ways)
    mask.append(
      node('path', {
        d: w.d,
        fill: 'none',
        stroke: '#000',
        'stroke-width': w.width,
        'stroke-linecap': 'round',
        'stroke-linejoin': 'round',
      }),
    );
  const g = node('g');
  shape.setAttribute('mask', `url(#${id})`);
  g.append(mask, shape);
  return g;
}

function shapeNode(s) {
  if (s.text) return textNode(s.text);
  if (s.image) return imageNode(s.image);
  const n = node('path', {
    d: s.d,
    fill: s.fill || 'none',
    stroke: s.stroke || 'none',
    'stroke-width': s.width,
    'stroke-linecap': 'round',
    'stroke-linejoin': 'round',
    opacity: s.opacity && s.opacity < 1 ? s.opacity : undefined,
  });
  return s.rubbed ? rubbed(n, s.rubbed) : n;
}

// inOrder puts a group where its mark lies: behind those of a higher rank, and
// of the same rank made later.
function inOrder(target, g, mark) {
  const key = `${String((mark.rank ?? 0) + 5000)} ${mark.id}`;
  g.dataset.key = key;
  let after = target.lastElementChild;
  while (after?.dataset.key > key) after = after.previousElementSibling;
  if (after) after.after(g);
  else target.prepend(g);
}

// paint adds an entry to a sheet (see surface.js) and returns its two groups.
export function paint(sheet, entry) {
  unpaint(entry);
  const groups = [];
  for (const [target, multiply] of [
    [sheet.washes, true],
    [sheet.marks, false],
  ]) {
    const shapes = entry.shapes.filter((s) => !!s.multiply === multiply);
    if (!shapes.length) continue;
    const g = node('g', {
      'data-mark': entry.mark.id,
      'data-layer': entry.layer,
      class: entry.conflict ? 'beside' : undefined,
    });
    g.append(...shapes.map(shapeNode));
    inOrder(target, g, entry.mark);
    groups.push(g);
  }
  entry.groups = groups;
}
paint.picture = /** @type {(hash: string) => string} */ (() => '');

export function unpaint(entry) {
  for (const g of entry.groups ?? []) g.remove();
  entry.groups = [];
}

export const icon = (name) => document.querySelector(`template[data-icon="${name}"]`).content.cloneNode(true);

// el makes an element with properties and children.
export function el(tag, props = {}, ...children) {
  const n = document.createElement(tag);
  for (const [k, v] of Object.entries(props)) {
    if (v === undefined || v === null) continue;
    if (k === 'on') for (const [event, f] of Object.entries(v)) n.addEventListener(event, f);
    else if (k === 'data') Object.assign(n.dataset, v);
    else if (k in n && k !== 'role') n[k] = v;
    else n.setAttribute(k, v);
  }
  n.append(...children.filter((c) => c !== null && c !== undefined));
  return n;
}
