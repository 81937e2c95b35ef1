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

function textNode(t) {
  const n = node('text', { x: t.x, y: t.y, 'xml:space': 'preserve' });
  for (const run of t.runs) {
    const piece = node('tspan', { 'font-size': run.size, fill: run.color });
    piece.textContent = run.text;
    n.append(piece);
  }
  return n;
}

function shapeNode(s) {
  if (s.text) return textNode(s.text);
  if (s.image) {
    const [x, y, r, b] = s.image.rect, n = node('image', { x, y, width: r - x, height: b - y, href: `/sheets/${paint.sheet}/extras/${s.image.hash}`, preserveAspectRatio: 'none' });
    n.append(node('title'));
    n.firstChild.textContent = s.image.name;
    return n;
  }
  return node('path', {
    d: s.d, fill: s.fill || 'none', stroke: s.stroke || 'none', 'stroke-width': s.width,
    'stroke-linecap': 'round', 'stroke-linejoin': 'round', opacity: s.opacity && s.opacity < 1 ? s.opacity : undefined,
  });
}

// paint adds an entry to a sheet (see surface.js) and returns its two groups.
export function paint(sheet, entry) {
  unpaint(entry);
  const groups = [];
  for (const [target, multiply] of [[sheet.washes, true], [sheet.marks, false]]) {
    const shapes = entry.shapes.filter((s) => !!s.multiply === multiply);
    if (!shapes.length) continue;
    const g = node('g', { 'data-mark': entry.mark.id, 'data-layer': entry.layer, class: entry.beside ? 'beside' : undefined });
    g.append(...shapes.map(shapeNode));
    target.append(g);
    groups.push(g);
  }
  entry.groups = groups;
}

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
