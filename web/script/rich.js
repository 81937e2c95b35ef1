// rich turns text as the browser has set it into the lines and runs of a mark,
// and back. What stands in a box may be any markup that typing makes; what is
// read is how the browser shows it.

import { el } from './paint.js';
import { pixels, round } from './surface.js';

export const FONTS = { '': 'text', serif: 'serif', school: 'school', mono: 'mono' }; // of the style sheet
const SMALL = 0.68; // of what is raised or lowered, as core/mark has it
export const LEADING = 1.3;

const hex = (rgb) =>
  `#${rgb
    .match(/\d+/g)
    .slice(0, 3)
    .map((v) => (+v).toString(16).padStart(2, '0'))
    .join('')}`;
const base = ({ size = 14, color, font = '', bold = false, italic = false, under = false }) => ({
  size,
  color,
  font,
  bold,
  italic,
  under,
});

// leading gives the way from baseline to baseline, in points.
export const leading = (of) => of.step || LEADING * (of.largest ?? of.size);

// look gives a box the look of its plain text.
export function look(box, of) {
  const z = pixels();
  Object.assign(box.style, {
    fontSize: `${of.size * z}px`,
    lineHeight: `${leading(of) * z}px`,
    color: of.color,
    fontFamily: `var(--font-${FONTS[of.font] ?? 'text'})`,
    fontWeight: of.bold ? '700' : '400',
    fontStyle: of.italic ? 'italic' : 'normal',
    textDecorationLine: of.under ? 'underline' : 'none',
    textAlign: of.align || 'left',
    background: of.fill || '',
  });
}

// linesOf gives the words of each line of a text.
export const linesOf = (lines) => lines.map((l) => l.runs.map((r) => r.text).join(''));

// lookOf gives the look of a mark's plain text, which is that of its first run.
export function lookOf(body) {
  const runs = body.lines.flatMap((l) => l.runs);
  return {
    ...base(runs[0] ?? {}),
    align: body.align ?? '',
    fill: body.fill ?? '',
    step: body.step,
    largest: Math.max(...runs.map((r) => r.size), 4),
  };
}

// hardLines gives the runs of what somebody ended a line of; where the browser
// broke it for want of room is found anew.
export function hardLines(body) {
  const lines = [[]];
  body.lines.forEach((l, i) => {
    lines.at(-1).push(...l.runs);
    if (l.hard && i < body.lines.length - 1) lines.push([]);
  });
  return lines;
}

// write puts a mark's text into a box whose look is that of its first run.
function write(box, body) {
  const plain = lookOf(body);
  box.replaceChildren();
  hardLines(body).forEach((runs, i) => {
    if (i) box.append(el('br'));
    for (const r of runs) {
      const now = base(r),
        differs = Object.keys(now).filter((k) => now[k] !== plain[k]);
      let n = document.createTextNode(r.text);
      if (differs.length) {
        const span = el('span', {}, n);
        if (now.size !== plain.size) span.style.fontSize = `${now.size / plain.size}em`;
        if (now.color !== plain.color) span.style.color = now.color;
        if (now.font !== plain.font) span.style.fontFamily = `var(--font-${FONTS[now.font]})`;
        if (now.bold !== plain.bold) span.style.fontWeight = now.bold ? '700' : '400';
        if (now.italic !== plain.italic) span.style.fontStyle = now.italic ? 'italic' : 'normal';
        n = now.under && !plain.under ? el('u', {}, span) : span;
      }
      box.append(r.shift ? el(r.shift > 0 ? 'sup' : 'sub', {}, n) : n);
    }
  });
}

const families = Object.entries(FONTS)
  .filter(([name]) => name)
  .map(([name]) => [name, `RM ${name[0].toUpperCase()}${name.slice(1)}`]);

// lookAt reads how the browser shows a piece of text.
function lookAt(text, box) {
  const shifted = text.parentElement.closest('sup, sub'),
    inside = shifted && box.contains(shifted);
  const style = getComputedStyle(text.parentElement);
  let under = false;
  for (let n = text.parentElement; n && n !== box.parentElement; n = n.parentElement)
    under ||= getComputedStyle(n).textDecorationLine.includes('underline');
  const run = { size: round(parseFloat(style.fontSize) / pixels() / (inside ? SMALL : 1)), color: hex(style.color) };
  const family = families.find(([, f]) => style.fontFamily.replaceAll('"', '').startsWith(f));
  if (family) run.font = family[0];
  if (+style.fontWeight >= 600) run.bold = true;
  if (style.fontStyle !== 'normal') run.italic = true;
  if (under) run.under = true;
  if (inside) run.shift = shifted.nodeName === 'SUP' ? 1 : -1;
  return run;
}

// read gives lines, runs and width of what stands in the box, as the browser
// has broken it.
export function read(box) {
  const turned = box.style.transform;
  box.style.transform = 'none'; // measured as if it were upright
  const frame = box.getBoundingClientRect(),
    z = pixels(),
    largest = parseFloat(getComputedStyle(box).lineHeight) / LEADING,
    align = box.style.textAlign;
  const out = [],
    range = document.createRange();
  const looks = new Map();
  let line = /** @type {any} */ (null);
  const begin = () => {
    line = { runs: [], middle: null, left: Infinity, right: -Infinity };
  };
  const flush = (hard) => {
    if (hard) line.hard = true;
    out.push(line);
    begin();
  };
  begin();
  const walk = document.createTreeWalker(box, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
  while (walk.nextNode()) {
    const n = /** @type {any} */ (walk.currentNode);
    if (n.nodeName === 'BR') {
      flush(true);
      continue;
    }
    if (n.nodeName === 'DIV' || n.nodeName === 'P') {
      if (line.runs.length) flush(true);
      continue;
    }
    if (n.nodeType !== Node.TEXT_NODE || !n.data) continue;
    const of = lookAt(n, box),
      key = JSON.stringify(of);
    looks.set(n, key);
    let i = 0;
    for (const ch of n.data) {
      if (ch === '\n') {
        flush(true);
        i += 1;
        continue;
      }
      range.setStart(n, i);
      range.setEnd(n, i + ch.length);
      i += ch.length;
      if (ch === '\u200b') continue;
      const r = range.getBoundingClientRect();
      if (r.width || r.height) {
        const middle = (r.top + r.bottom) / 2;
        if (line.middle !== null && middle - line.middle > largest * 0.75) flush(false);
        line.middle ??= middle;
        line.left = Math.min(line.left, r.left);
        line.right = Math.max(line.right, r.right);
      }
      const last = line.runs.at(-1);
      if (last?.key === key) {
        last.text += ch;
        last.right = Math.max(last.right, r.right || -Infinity);
      } else line.runs.push({ text: ch, ...of, key, left: r.left, right: r.right });
    }
  }
  if (line.runs.length) flush(true);
  while (out.length && !out.at(-1).runs.length) out.pop();
  box.style.transform = turned;
  const plain = out.every((l) => l.runs.length < 2 && !l.runs[0]?.under);
  const lines = out.map((l) => ({
    runs: l.runs.map(({ key, left, right, ...run }) =>
      plain ? run : { ...run, w: Math.max(0, round((right - left) / z)) },
    ),
    ...(align && align !== 'left' && l.runs.length ? { x: round((l.left - frame.left) / z) } : {}),
    ...(l.hard ? { hard: true } : {}),
  }));
  const left = Math.min(...out.map((l) => l.left)),
    right = Math.max(...out.map((l) => l.right));
  return { lines, width: Math.max(0, round((right - left) / z)) || 0 };
}

// again sets the text of a mark anew with a change of its look or width, as
// typing it so would have set it.
export function again(sheet, body, { box = body.box, align = body.align, fill = body.fill, ...of }) {
  const hidden = el('div', { className: 'typing again' });
  const was = lookOf(body);
  sheet.box.append(hidden);
  const lines = body.lines.map((l) => ({
    ...l,
    runs: l.runs.map((r) => ({ ...r, ...of, ...(of.size ? { size: round(r.size * (of.size / was.size)) } : {}) })),
  }));
  const now = { ...body, lines, box, align, fill },
    next = lookOf(now);
  look(hidden, next);
  hidden.style.left = `${body.x * pixels()}px`;
  if (box) hidden.style.width = `${box * pixels()}px`;
  else hidden.style.maxWidth = `${(sheet.w - 8 - body.x) * pixels()}px`;
  write(hidden, now);
  const set = read(hidden);
  hidden.remove();
  const out = { x: body.x, y: body.y, ...set };
  for (const [k, v] of Object.entries({ box, align, fill, turn: body.turn, step: body.step })) if (v) out[k] = v;
  return out;
}
